import Foundation

/// Reminds of the tide, on time.
public final class DunlinAlerts {}
