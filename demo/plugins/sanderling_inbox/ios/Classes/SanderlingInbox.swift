import Foundation

/// Sends the log of the day by mail.
public final class SanderlingInbox {}
