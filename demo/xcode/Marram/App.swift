import SwiftUI
import UserNotifications

@main
struct MarramApp: App {
    var body: some Scene {
        WindowGroup {
            Text("Marram")
        }
    }
}
