package example.knot

/** A banner that pays for the server. */
class KnotBanner
