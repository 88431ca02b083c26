/// Takes payments for supporters.
library;
