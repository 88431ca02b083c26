import Foundation

/// Talks to a ring reader over Bluetooth.
public final class RedshankScan {}
