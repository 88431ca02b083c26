//! Takes a new release of a platform into the tables, out of the platform's own files.
//!
//! It knows the tables as text and the dumps that `aapt` makes, and nothing of the program.
//!
//! ```
//! use elvask_facts::{Declared, declared};
//!
//! let dump = "    E: permission (line=1)\n      A: android:name(0x01010003)=\"android.permission.CAMERA\" (Raw: \"…\")\n      A: android:protectionLevel(0x01010009)=(type 0x11)0x1\n";
//! assert_eq!(declared(dump), [Declared { name: "android.permission.CAMERA".into(), protection: "dangerous".into() }]);
//! ```

#![warn(clippy::unwrap_used, clippy::expect_used, clippy::indexing_slicing, clippy::string_slice)]

use std::collections::BTreeMap;

/// What stands at the low end of a protection level.
///
/// Source: "R.attr: protectionLevel" in the platform's reference.
const BASES: [&str; 5] = ["normal", "dangerous", "signature", "signatureOrSystem", "internal"];

/// The flags of a protection level, from the lowest bit on.
///
/// Source: "R.attr: protectionLevel" in the platform's reference.
const FLAGS: [(u32, &str); 24] = [
    (0x10, "privileged"),
    (0x20, "development"),
    (0x40, "appop"),
    (0x80, "pre23"),
    (0x100, "installer"),
    (0x200, "verifier"),
    (0x400, "preinstalled"),
    (0x800, "setup"),
    (0x1000, "instant"),
    (0x2000, "runtime"),
    (0x4000, "oem"),
    (0x8000, "vendorPrivileged"),
    (0x1_0000, "textClassifier"),
    (0x2_0000, "wellbeing"),
    (0x4_0000, "documenter"),
    (0x8_0000, "configurator"),
    (0x10_0000, "incidentReportApprover"),
    (0x20_0000, "appPredictor"),
    (0x40_0000, "module"),
    (0x80_0000, "companion"),
    (0x100_0000, "retailDemo"),
    (0x200_0000, "recents"),
    (0x400_0000, "role"),
    (0x800_0000, "knownSigner"),
];

/// A permission that a release of the platform declares.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Declared {
    /// Its full name.
    pub name: String,
    /// Its protection level with its flags, joined by `|`.
    pub protection: String,
}

/// Reads the permissions out of what `aapt dump xmltree framework-res.apk AndroidManifest.xml` prints, in the order of the dump.
#[must_use]
pub fn declared(dump: &str) -> Vec<Declared> {
    let mut out: Vec<Declared> = Vec::new();
    let mut inside = false;
    for line in dump.lines() {
        let line = line.trim_start();
        if let Some(element) = line.strip_prefix("E: ") {
            inside = element.starts_with("permission ");
            if inside {
                out.push(Declared { name: String::new(), protection: "normal".to_owned() });
            }
            continue;
        }
        let (true, Some(last)) = (inside, out.last_mut()) else { continue };
        let Some((attribute, value)) = line.strip_prefix("A: android:").and_then(|rest| rest.split_once(")=")) else {
            continue;
        };
        if attribute.starts_with("name(") {
            last.name = value.split('"').nth(1).unwrap_or_default().to_owned();
        } else if attribute.starts_with("protectionLevel(") {
            let bits = value.rsplit("0x").next().and_then(|bits| u32::from_str_radix(bits, 16).ok());
            last.protection = protection(bits.unwrap_or_default());
        }
    }
    out.retain(|one| !one.name.is_empty());
    out
}

/// Returns the words for a protection level.
fn protection(bits: u32) -> String {
    let base = usize::try_from(bits & 0xF).ok().and_then(|at| BASES.get(at)).copied().unwrap_or("signature");
    let flags = FLAGS.iter().filter(|(bit, _)| bits & bit != 0).map(|(_, word)| *word);
    [base].into_iter().chain(flags).collect::<Vec<_>>().join("|")
}

/// What a release changes in the table of permissions.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Merged {
    /// The new text of the table.
    pub table: String,
    /// What is new, gone or protected otherwise, a line each.
    pub changes: Vec<String>,
}

/// Why a release cannot be merged.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum MergeError {
    /// The dump holds no permissions.
    Empty,
    /// A row of the table has no level, by its number, counted from 1.
    Row(usize),
}

impl std::fmt::Display for MergeError {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            MergeError::Empty => write!(out, "the dump declares no permissions"),
            MergeError::Row(line) => write!(out, "line {line} of the table has no level"),
        }
    }
}

/// Merges the permissions of a release, `level`, into the table of permissions: what is new begins at the level, what is no longer
/// declared ended at the one before, and what is protected otherwise gets its new protection. Groups are left as they are, as newer
/// releases do not declare them.
///
/// # Errors
/// [`MergeError`]; the table is not touched then.
pub fn merge_permissions(table: &str, declared: &[Declared], level: u32) -> Result<Merged, MergeError> {
    if declared.is_empty() {
        return Err(MergeError::Empty);
    }
    let mut now: BTreeMap<&str, &Declared> = declared.iter().map(|one| (one.name.as_str(), one)).collect();
    let (mut head, mut rows, mut changes) = (String::new(), Vec::new(), Vec::new());
    for (number, line) in table.lines().enumerate() {
        if line.is_empty() || line.starts_with('#') {
            head.push_str(line);
            head.push('\n');
            continue;
        }
        let mut cells: Vec<String> = line.split('\t').map(str::to_owned).collect();
        cells.resize(5, String::new());
        let [name, first, last, protection, _] = cells.as_mut_slice() else { return Err(MergeError::Row(number + 1)) };
        let first: u32 = first.parse().map_err(|_| MergeError::Row(number + 1))?;
        let ended = last.parse::<u32>().ok();
        match now.remove(name.as_str()) {
            Some(_) if first > level || ended.is_some_and(|last| last < level) => {
                changes.push(format!("{name}: declared at {level}, and the table has it from {first} to {last}"));
            }
            Some(one) if ended.is_none() && one.protection != *protection => {
                changes.push(format!("{name}: {protection} becomes {}", one.protection));
                protection.clone_from(&one.protection);
            }
            Some(_) => {}
            None if first < level && ended.is_none() => {
                changes.push(format!("{name}: gone, so its last level is {}", level - 1));
                *last = (level - 1).to_string();
            }
            None => {}
        }
        rows.push(cells);
    }
    for one in now.into_values() {
        changes.push(format!("{}: new ({})", one.name, one.protection));
        rows.push(vec![one.name.clone(), level.to_string(), String::new(), one.protection.clone(), String::new()]);
    }
    rows.sort_by(|one, other| one.first().cmp(&other.first()));
    let mut out = head;
    for cells in rows {
        out.push_str(&cells.join("\t"));
        out.push('\n');
    }
    Ok(Merged { table: out, changes })
}

/// Says where the table is wrong about a level that it covers already: a name that the platform has there and the table has not, and
/// the other way round.
#[must_use]
pub fn disagreements(table: &str, declared: &[Declared], level: u32) -> Vec<String> {
    let mut now: BTreeMap<&str, ()> = declared.iter().map(|one| (one.name.as_str(), ())).collect();
    let mut out = Vec::new();
    for line in table.lines().filter(|line| !line.is_empty() && !line.starts_with('#')) {
        let mut cells = line.split('\t');
        let name = cells.next().unwrap_or_default();
        let first = cells.next().and_then(|first| first.parse::<u32>().ok()).unwrap_or_default();
        let last = cells.next().and_then(|last| last.parse::<u32>().ok()).unwrap_or(u32::MAX);
        let there = now.remove(name).is_some();
        if there != (first..=last).contains(&level) {
            let (platform, table) = if there { ("has", "lacks it") } else { ("lacks", "has it") };
            out.push(format!("{name}: at level {level} the platform {platform} it, and the table {table}"));
        }
    }
    out.extend(now.into_keys().map(|name| format!("{name}: level {level} has it, and the table does not know it")));
    out
}
