package example.godwit

/** A small window over other apps, with the last ring read. */
class GodwitFloat
