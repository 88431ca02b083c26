/// Viewfinder, photos and video.
library;
