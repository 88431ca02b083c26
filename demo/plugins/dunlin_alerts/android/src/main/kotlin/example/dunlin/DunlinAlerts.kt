package example.dunlin

/** Reminds of the tide, on time. */
class DunlinAlerts
