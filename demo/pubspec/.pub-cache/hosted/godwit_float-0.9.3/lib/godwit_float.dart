/// A small window over other apps, with the last ring read.
library;
