/// A banner that pays for the server.
library;
