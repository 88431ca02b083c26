package example.turnstone

/** Opens links to sites and follows links into the app. */
class TurnstoneLinks
