package example.phalarope

/** Knows where you stand, and whether you walk. */
class PhalaropeTides
