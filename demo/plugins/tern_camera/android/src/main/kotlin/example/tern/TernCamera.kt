package example.tern

/** Viewfinder, photos and video. */
class TernCamera
