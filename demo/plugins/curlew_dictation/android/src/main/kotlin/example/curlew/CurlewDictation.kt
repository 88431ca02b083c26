package example.curlew

/** Turns speech into field notes. */
class CurlewDictation
