import UIKit

@main
final class AppDelegate: UIResponder, UIApplicationDelegate {}
