//! Planning edits: what puts a declaration where it belongs, in the style of what stands around it.
//!
//! Each document has its own file here. A plan is made of a scene and touches nothing.

pub(crate) mod gradle;
pub(crate) mod manifest;
pub(crate) mod plist;

/// A setting of a platform that makes an app less safe, when a sheet asks for it.
pub(crate) fn loosens(name: &str, value: &str) -> Option<&'static str> {
    match (name, value) {
        ("usesCleartextTraffic", "true") => Some("lets the app talk to servers without encryption"),
        ("debuggable", "true") => Some("lets anybody with the device look into the running app; the store refuses it"),
        ("networkSecurityConfig", _) => Some("replaces the rules by which the app trusts servers"),
        ("NSAppTransportSecurity", _) => Some("changes the rules by which the app trusts servers"),
        ("UIFileSharingEnabled", "true") => Some("lets anybody with the device read the app's documents"),
        _ => None,
    }
}
