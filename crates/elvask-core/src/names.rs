//! Names that documents of the platforms use, and how names are read in them.

/// The namespace of the platform's attributes.
pub(crate) const ANDROID: &str = "http://schemas.android.com/apk/res/android";

/// The namespace of the merge markers.
pub(crate) const TOOLS: &str = "http://schemas.android.com/tools";

/// Returns the full name of a class that a manifest names, with the namespace before a relative one.
#[must_use]
pub(crate) fn full_class(name: &str, namespace: Option<&str>) -> String {
    match namespace {
        Some(namespace) if name.starts_with('.') => format!("{namespace}{name}"),
        Some(namespace) if !name.contains('.') => format!("{namespace}.{name}"),
        _ => name.to_owned(),
    }
}

/// The entitlement that names the app's domains.
pub const ASSOCIATED_DOMAINS: &str = "com.apple.developer.associated-domains";
