/// Sends the log of the day by mail.
library;
