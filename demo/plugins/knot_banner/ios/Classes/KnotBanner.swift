import Foundation

/// A banner that pays for the server.
public final class KnotBanner {}
