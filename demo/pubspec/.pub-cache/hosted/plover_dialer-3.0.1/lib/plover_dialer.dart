/// Opens the dialler and the messages app.
library;
