/// Turns speech into field notes.
library;
