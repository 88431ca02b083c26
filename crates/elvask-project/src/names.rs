//! Names that documents of the platforms use, and how names are read in them.

/// The namespace of the platform's attributes.
pub const ANDROID: &str = "http://schemas.android.com/apk/res/android";

/// The namespace of the merge markers.
pub const TOOLS: &str = "http://schemas.android.com/tools";

/// Returns the full name of a class that a manifest names, with the namespace before a relative one.
#[must_use]
pub fn full_class(name: &str, namespace: Option<&str>) -> String {
    match namespace {
        Some(namespace) if name.starts_with('.') => [namespace, name].concat(),
        Some(namespace) if !name.contains('.') => [namespace, ".", name].concat(),
        _ => name.to_owned(),
    }
}

/// The entitlement that names the app's domains.
pub const ASSOCIATED_DOMAINS: &str = "com.apple.developer.associated-domains";

/// Says whether a name fits a pattern in which `*` stands for any text.
pub fn fits_pattern(pattern: &str, name: &str) -> bool {
    let mut parts = pattern.split('*');
    let Some(mut rest) = parts.next().and_then(|first| name.strip_prefix(first)) else { return false };
    let mut parts = parts.peekable();
    if parts.peek().is_none() {
        return rest.is_empty();
    }
    while let Some(part) = parts.next() {
        if parts.peek().is_none() {
            return rest.ends_with(part);
        }
        match rest.find(part) {
            Some(at) => rest = rest.get(at + part.len()..).unwrap_or_default(),
            None => return false,
        }
    }
    true
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_fit_whole_names() {
        assert!(fits_pattern("*Release", "freeRelease") && fits_pattern("release", "release"));
        assert!(
            fits_pattern("*e*e", "release") && !fits_pattern("free*", "release") && !fits_pattern("rel", "release")
        );
    }
}
