/// Reminds of the tide, on time.
library;
