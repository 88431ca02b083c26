package example.avocet

/** Takes payments for supporters. */
class AvocetCheckout
