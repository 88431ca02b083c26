package example.redshank

/** Talks to a ring reader over Bluetooth. */
class RedshankScan
