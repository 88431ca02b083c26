import Foundation

/// Takes payments for supporters.
public final class AvocetCheckout {}
