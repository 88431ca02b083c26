package example.plover

/** Opens the dialler and the messages app. */
class PloverDialer
