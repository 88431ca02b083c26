package example.sanderling

/** Sends the log of the day by mail. */
class SanderlingInbox
