/// Talks to a ring reader over Bluetooth.
library;
