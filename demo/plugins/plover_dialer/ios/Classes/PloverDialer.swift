import Foundation

/// Opens the dialler and the messages app.
public final class PloverDialer {}
