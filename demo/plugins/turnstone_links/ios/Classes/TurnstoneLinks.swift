import Foundation

/// Opens links to sites and follows links into the app.
public final class TurnstoneLinks {}
