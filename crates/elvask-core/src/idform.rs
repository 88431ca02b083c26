//! What ids look like that the platforms take.

use elvask_platform::Platform;

/// The words that the language of the platform keeps for itself.
///
/// Source: "The Java Language Specification", Keywords.
const KEPT: [&str; 53] = [
    "abstract",
    "assert",
    "boolean",
    "break",
    "byte",
    "case",
    "catch",
    "char",
    "class",
    "const",
    "continue",
    "default",
    "do",
    "double",
    "else",
    "enum",
    "extends",
    "false",
    "final",
    "finally",
    "float",
    "for",
    "goto",
    "if",
    "implements",
    "import",
    "instanceof",
    "int",
    "interface",
    "long",
    "native",
    "new",
    "null",
    "package",
    "private",
    "protected",
    "public",
    "return",
    "short",
    "static",
    "strictfp",
    "super",
    "switch",
    "synchronized",
    "this",
    "throw",
    "throws",
    "transient",
    "true",
    "try",
    "void",
    "volatile",
    "while",
];

/// Says that a part of an id is a word of the language.
pub(crate) fn reserved(id: &str) -> Option<&'static str> {
    let is_kept = id.split('.').any(|part| KEPT.contains(&part));
    is_kept.then_some(
        "a part of it is a word that the language of the platform keeps for itself, and classes are made under it",
    )
}

/// Says what is wrong with an id of a platform.
pub(crate) fn fault_of(platform: Platform, id: &str) -> Option<&'static str> {
    match platform {
        Platform::Android => android(id),
        Platform::Ios => apple(id),
    }
}

/// Says what is wrong with an application id.
pub(crate) fn android(id: &str) -> Option<&'static str> {
    let parts: Vec<&str> = id.split('.').collect();
    let letters = |part: &&str| part.chars().all(|letter| letter.is_ascii_alphanumeric() || letter == '_');
    if id.contains(['$', '{']) {
        None
    } else if parts.len() < 2 {
        Some("it has at least two parts with a dot between")
    } else if !parts.iter().all(|part| part.starts_with(|first: char| first.is_ascii_alphabetic())) {
        Some("each part starts with a letter")
    } else if !parts.iter().all(letters) {
        Some("it may have letters, digits and underscores only")
    } else {
        None
    }
}

/// Says what is wrong with a bundle id.
pub(crate) fn apple(id: &str) -> Option<&'static str> {
    let fits = |letter: char| letter.is_ascii_alphanumeric() || matches!(letter, '.' | '-');
    if id.contains(['$', '*']) || id.chars().all(fits) {
        None
    } else {
        Some("it may have letters, digits, hyphens and dots only")
    }
}
