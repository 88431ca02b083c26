import Foundation

/// Turns speech into field notes.
public final class CurlewDictation {}
