import Foundation

/// Viewfinder, photos and video.
public final class TernCamera {}
