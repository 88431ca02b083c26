/// Opens links to sites and follows links into the app.
library;
