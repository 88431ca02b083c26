//! The words that sources have for the numbers that a compiled manifest holds.
//!
//! Source: "R.attr" in the platform's reference: the constants of each attribute.

use crate::bytes::Value;

/// The words of attributes of which one holds.
const ONE: [(&str, &[(&str, u32)]); 5] = [
    (
        "launchMode",
        &[("standard", 0), ("singleTop", 1), ("singleTask", 2), ("singleInstance", 3), ("singleInstancePerTask", 4)],
    ),
    ("installLocation", &[("auto", 0), ("internalOnly", 1), ("preferExternal", 2)]),
    (
        "screenOrientation",
        &[
            ("unspecified", u32::MAX),
            ("landscape", 0),
            ("portrait", 1),
            ("user", 2),
            ("behind", 3),
            ("sensor", 4),
            ("nosensor", 5),
            ("sensorLandscape", 6),
            ("sensorPortrait", 7),
            ("reverseLandscape", 8),
            ("reversePortrait", 9),
            ("fullSensor", 10),
            ("userLandscape", 11),
            ("userPortrait", 12),
            ("fullUser", 13),
            ("locked", 14),
        ],
    ),
    ("documentLaunchMode", &[("none", 0), ("intoExisting", 1), ("always", 2), ("never", 3)]),
    ("protectionLevel", &[("normal", 0), ("dangerous", 1), ("signature", 2), ("signatureOrSystem", 3)]),
];

/// The words of attributes of which several hold together.
const SEVERAL: [(&str, &[(&str, u32)]); 3] = [
    (
        "foregroundServiceType",
        &[
            ("dataSync", 0x1),
            ("mediaPlayback", 0x2),
            ("phoneCall", 0x4),
            ("location", 0x8),
            ("connectedDevice", 0x10),
            ("mediaProjection", 0x20),
            ("camera", 0x40),
            ("microphone", 0x80),
            ("health", 0x100),
            ("remoteMessaging", 0x200),
            ("systemExempted", 0x400),
            ("shortService", 0x800),
            ("mediaProcessing", 0x2000),
            ("specialUse", 0x4000_0000),
        ],
    ),
    (
        "configChanges",
        &[
            ("mcc", 0x1),
            ("mnc", 0x2),
            ("locale", 0x4),
            ("touchscreen", 0x8),
            ("keyboard", 0x10),
            ("keyboardHidden", 0x20),
            ("navigation", 0x40),
            ("orientation", 0x80),
            ("screenLayout", 0x100),
            ("uiMode", 0x200),
            ("screenSize", 0x400),
            ("smallestScreenSize", 0x800),
            ("density", 0x1000),
            ("layoutDirection", 0x2000),
            ("colorMode", 0x4000),
            ("fontScale", 0x4000_0000),
        ],
    ),
    (
        "windowSoftInputMode",
        &[
            ("stateUnchanged", 0x1),
            ("stateHidden", 0x2),
            ("stateAlwaysHidden", 0x3),
            ("stateVisible", 0x4),
            ("stateAlwaysVisible", 0x5),
            ("adjustResize", 0x10),
            ("adjustPan", 0x20),
            ("adjustNothing", 0x30),
        ],
    ),
];

/// The names of attributes by their numbers: a build that shrinks a package may leave the names out.
const ATTRIBUTES: [(u32, &str); 22] = [
    (0x0101_0001, "label"),
    (0x0101_0002, "icon"),
    (0x0101_0003, "name"),
    (0x0101_0006, "permission"),
    (0x0101_0009, "protectionLevel"),
    (0x0101_000E, "enabled"),
    (0x0101_000F, "debuggable"),
    (0x0101_0010, "exported"),
    (0x0101_0018, "authorities"),
    (0x0101_001D, "launchMode"),
    (0x0101_001E, "screenOrientation"),
    (0x0101_001F, "configChanges"),
    (0x0101_0024, "value"),
    (0x0101_0025, "resource"),
    (0x0101_0026, "mimeType"),
    (0x0101_0027, "scheme"),
    (0x0101_0028, "host"),
    (0x0101_020C, "minSdkVersion"),
    (0x0101_021B, "versionCode"),
    (0x0101_021C, "versionName"),
    (0x0101_0270, "targetSdkVersion"),
    (0x0101_0271, "maxSdkVersion"),
];

/// Returns the name of a platform attribute.
pub(crate) fn attribute(number: u32) -> Option<&'static str> {
    ATTRIBUTES.iter().find(|(known, _)| *known == number).map(|(_, name)| *name)
}

/// Returns the word for the number of an attribute, where sources write words.
pub(crate) fn word(attribute: &str, value: Value) -> Option<String> {
    let of = |table: &'static [(&'static str, &'static [(&'static str, u32)])]| {
        table.iter().find(|(name, _)| *name == attribute).map(|(_, words)| *words)
    };
    if !matches!(value.kind, 0x10 | 0x11) {
        return None;
    }
    if let Some(words) = of(&ONE) {
        return words.iter().find(|(_, number)| *number == value.data).map(|(word, _)| (*word).to_owned());
    }
    let words = of(&SEVERAL)?;
    let mut left = value.data;
    let mut said = Vec::new();
    // The larger ones first: some are sums of others.
    let mut rising: Vec<_> = words.to_vec();
    rising.sort_by_key(|(_, number)| std::cmp::Reverse(number.count_ones()));
    for (word, number) in rising {
        if left & number == number {
            left &= !number;
            said.push((word, number));
        }
    }
    said.sort_by_key(|(_, number)| *number);
    (left == 0 && !said.is_empty()).then(|| said.iter().map(|(word, _)| *word).collect::<Vec<_>>().join("|"))
}

#[cfg(test)]
mod tests {
    use super::word;
    use crate::bytes::Value;

    #[test]
    fn numbers_are_the_words_of_the_source() {
        let hex = |attribute, data| word(attribute, Value { kind: 0x11, data });
        assert_eq!(word("launchMode", Value { kind: 0x10, data: 2 }).as_deref(), Some("singleTask"));
        assert_eq!(hex("foregroundServiceType", 0x4000_0008).as_deref(), Some("location|specialUse"));
        assert_eq!(hex("windowSoftInputMode", 0x13).as_deref(), Some("stateAlwaysHidden|adjustResize"));
        assert_eq!(hex("foregroundServiceType", 0x8000_0000), None, "a number that is not known stays one");
        assert_eq!(hex("theme", 1), None);
    }
}
