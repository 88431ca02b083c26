//! What each table may hold: a test walks through every cell of every file and refuses a word that it does not know.

use std::collections::BTreeSet;
use std::path::Path;

use crate::{Kind, Platform, Strength, Version};

/// What the cells of a column may be.
#[derive(Clone, Copy)]
enum Cell {
    /// Any text that is not empty.
    Text,
    /// Any text, or nothing.
    Maybe,
    /// A number.
    Number,
    /// A number, or nothing.
    MaybeNumber,
    /// A version, or a level.
    Version,
    /// A version, or nothing.
    MaybeVersion,
    /// One of these words.
    Word(&'static [&'static str]),
    /// Kinds of declarations.
    Kind,
    /// A platform.
    Platform,
    /// How sure a requirement is.
    Strength,
    /// Words, each of which is one of these, or starts with one that ends in `=`.
    Conditions,
    /// `medium` or `low`, or nothing.
    Confidence,
}

use Cell::{Conditions, Confidence, Maybe, MaybeNumber, MaybeVersion, Number, Text, Word};

const CHOICES: &[&str] = &["add", "allow", "always", "ask", "deny", "limited", "off", "on", "once", "used"];

const PLIST_TYPES: &[&str] = &[
    "string",
    "boolean",
    "integer",
    "dictionary",
    "array of string",
    "array of integer",
    "array of dictionary",
    "array of string or dictionary",
];

/// The columns of each table, in the order of their names. A row may end before columns that may be empty.
const TABLES: [(&str, &[Cell]); 53] = [
    ("android-action-permissions", &[Text, Text, Word(&["", "needed"])]),
    ("android-attribute-values", &[Text, Text]),
    ("android-attributes", &[Text, Text]),
    ("android-behaviour", &[Text, Number, Word(&["device", "target", "both"]), Text, Text]),
    ("android-component-permissions", &[Text, Word(&["receiver", "service"]), Text, Word(&["error"]), Text]),
    ("android-idle-attributes", &[Text, Text, Text, Text]),
    ("android-implied-features", &[Text, Text, MaybeNumber, Word(&["", "tv", "tablet tv"])]),
    ("android-permission-advice", &[Text, Text, Confidence]),
    ("android-permission-changes", &[Text, Text]),
    ("android-permission-companions", &[Text, Number, Text, Word(&["error", "note", "warning"]), Text, Maybe]),
    ("android-permission-successors", &[Text, Number, Number, Maybe, Text, Maybe]),
    ("android-permissions", &[Text, Number, MaybeNumber, Text, Maybe]),
    ("android-query-actions", &[Text, Text]),
    ("android-service-types", &[Text, Maybe, Number, Maybe, Maybe, Maybe, MaybeNumber]),
    ("android-store-review", &[Text, Text]),
    ("android-unsent-broadcasts", &[Text, Number, Text]),
    ("capabilities", &[Text, Text, Text]),
    ("capability-beside", &[Text, Cell::Platform, Text, Text, Text, Confidence]),
    ("capability-needs", &[Text, Cell::Platform, Cell::Kind, Text, Conditions, Maybe]),
    ("capability-words", &[Text, Text]),
    (
        "glossary",
        &[
            Word(&[
                "permission",
                "key",
                "entitlement",
                "background-mode",
                "element",
                "attribute",
                "action",
                "category",
                "preference",
            ]),
            Text,
            Maybe,
            Text,
            Maybe,
            Maybe,
            Maybe,
        ],
    ),
    ("gradle-repositories", &[Text, Text]),
    ("implied-permissions", &[Number, Text, Text]),
    ("ios-background-modes", &[Text, Maybe, Maybe, Text, Confidence]),
    ("ios-codes", &[Word(&["lang", "region"]), Text]),
    (
        "ios-entitlements",
        &[
            Text,
            Word(&["array", "bool", "dictionary", "string"]),
            Maybe,
            Maybe,
            Word(&["", "paid", "approval"]),
            Confidence,
        ],
    ),
    ("ios-generated-keys", &[Text, Text, Word(&["bool", "dict", "list", "string"])]),
    ("ios-key-companions", &[Text, Text, Word(&["error", "warning"]), Text]),
    ("ios-key-titles", &[Text, Text]),
    ("ios-mistaken-keys", &[Text, Text]),
    ("ios-plist-keys", &[Text, Word(PLIST_TYPES), Maybe, Confidence]),
    ("ios-privacy-reasons", &[Text, Text]),
    ("ios-reserved-schemes", &[Text, Text]),
    (
        "ios-usage-keys",
        &[
            Text,
            Word(&["iOS", "macOS", "visionOS", "watchOS"]),
            MaybeVersion,
            MaybeVersion,
            Maybe,
            Text,
            Word(&["crash", "silent", "denied", "stock"]),
            Confidence,
        ],
    ),
    (
        "ios-value-forms",
        &[
            Word(&["plist", "entitlements", "privacy"]),
            Text,
            Word(&["array", "boolean", "dictionary", "string"]),
            Maybe,
            Maybe,
            Word(&["error", "warning"]),
            Text,
        ],
    ),
    ("link-facts", &[Text, Text, Text, Confidence]),
    ("lists", &[Word(crate::lists::LISTS), Text, Maybe]),
    ("manifest-elements", &[Text, Word(&["children", "keep", "merge"]), Text, Maybe, Maybe]),
    (
        "native-symbols",
        &[Word(&["apple", "jvm"]), Text, Cell::Kind, Text, Maybe, Cell::Strength, Maybe, Maybe, Conditions],
    ),
    ("new-app-declarations", &[Word(&["appjson", "msbuild", "npm", "pubspec", "widget"]), Cell::Kind, Text]),
    (
        "note-words",
        &[
            Word(&[
                "aside",
                "bound",
                "elsewhere",
                "extension",
                "firm",
                "needed",
                "not",
                "optional",
                "own",
                "reference",
                "setup",
            ]),
            Text,
        ],
    ),
    (
        "package-writes",
        &[
            Word(&["attribute", "component-permission", "entitlement", "key", "permission", "repository", "setting"]),
            Text,
            Word(&["ask", "write"]),
            Maybe,
        ],
    ),
    ("placeholder-words", &[Text, Word(&["any", "purpose"])]),
    (
        "platform",
        &[
            Word(&[
                "android-level",
                "android-version",
                "framework",
                "ios-version",
                "prompt-letters",
                "prompt-lines",
                "store-target",
            ]),
            Text,
            Text,
        ],
    ),
    ("prompt-buttons", &[Text, Text, Word(CHOICES)]),
    ("prompt-choices", &[Word(CHOICES), Cell::Platform, Text]),
    (
        "prompts",
        &[
            Text,
            Cell::Platform,
            Cell::Version,
            MaybeVersion,
            Word(&["dialog", "none", "screen", "sheet", "with"]),
            Text,
            Number,
            Maybe,
            Text,
            Text,
            Maybe,
            Text,
            Maybe,
            Text,
            Confidence,
        ],
    ),
    ("purpose-examples", &[Text, Text]),
    ("purpose-options", &[Text, Text]),
    ("service-files", &[Cell::Platform, Text, Text]),
    ("symptoms", &[Text, Text, Text]),
    ("vague-purposes", &[Text]),
    ("widget-preferences", &[Text, Word(&["", "android", "ios"]), Text, Text]),
];

/// Says whether a cell may be in a column.
fn may_be(cell: &str, column: Cell) -> bool {
    match column {
        Cell::Text => !cell.is_empty(),
        Cell::Maybe => true,
        Cell::Number => cell.parse::<u32>().is_ok(),
        Cell::MaybeNumber => cell.is_empty() || cell.parse::<u32>().is_ok(),
        Cell::Version => Version::parse(cell).is_some(),
        Cell::MaybeVersion => cell.is_empty() || Version::parse(cell).is_some(),
        Cell::Word(words) => words.contains(&cell),
        Cell::Kind => Kind::parse(cell).is_some(),
        Cell::Platform => [Platform::Android, Platform::Ios].iter().any(|platform| platform.id() == cell),
        Cell::Strength => [Strength::Certain, Strength::Likely, Strength::Optional]
            .iter()
            .any(|strength| serde_word(*strength) == cell),
        Cell::Conditions => cell.split_whitespace().all(is_condition),
        Cell::Confidence => matches!(cell, "" | "medium" | "low"),
    }
}

fn serde_word(strength: Strength) -> &'static str {
    match strength {
        Strength::Certain => "certain",
        Strength::Likely => "likely",
        Strength::Optional => "optional",
    }
}

fn is_condition(word: &str) -> bool {
    let number = |start: &str| word.strip_prefix(start).is_some_and(|rest| rest.parse::<u32>().is_ok());
    word == "optional"
        || ["target>=", "target<", "devices<=", "max-level="].iter().any(|start| number(start))
        || word.strip_prefix("ios<").is_some_and(|rest| Version::parse(rest).is_some())
        || word.strip_prefix("one-of=").is_some_and(|rest| !rest.is_empty())
}

fn folder() -> std::path::PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("data")
}

#[test]
fn every_table_has_columns_and_every_cell_may_be_where_it_is() {
    let files: BTreeSet<String> = std::fs::read_dir(folder())
        .unwrap()
        .map(|entry| entry.unwrap().path().file_stem().unwrap().to_string_lossy().into_owned())
        .collect();
    let known: BTreeSet<String> = TABLES.iter().map(|(name, _)| (*name).to_owned()).collect();
    assert_eq!(files, known);
    let mut wrong = Vec::new();
    for (name, columns) in TABLES {
        let text = std::fs::read_to_string(folder().join(format!("{name}.tsv"))).unwrap();
        for (number, line) in text.lines().enumerate().filter(|(_, line)| !line.is_empty() && !line.starts_with('#')) {
            let cells: Vec<&str> = line.split('\t').collect();
            if cells.len() > columns.len() {
                wrong.push(format!("{name}.tsv:{}: {} cells, {} columns", number + 1, cells.len(), columns.len()));
            }
            for (at, column) in columns.iter().enumerate() {
                let cell = cells.get(at).copied().unwrap_or_default();
                if !may_be(cell, *column) {
                    wrong.push(format!("{name}.tsv:{}: `{cell}` may not be in column {}", number + 1, at + 1));
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn every_cell_is_read_as_it_is_written() {
    for (name, columns) in TABLES {
        let text: &str = std::fs::read_to_string(folder().join(format!("{name}.tsv"))).unwrap().leak();
        let lines: Vec<&str> = text.lines().filter(|line| !line.is_empty() && !line.starts_with('#')).collect();
        let rows: Vec<_> = crate::table::rows(text).collect();
        assert_eq!(rows.len(), lines.len(), "{name}");
        for (row, line) in rows.iter().zip(lines) {
            let written: Vec<&str> = line.split('\t').collect();
            // Those behind the last one are empty.
            for at in 0..columns.len().max(written.len()) + 1 {
                assert_eq!(row.cell(at), written.get(at).copied().unwrap_or_default(), "{name}: {line}, {at}");
            }
        }
    }
}

#[test]
fn every_table_says_where_it_is_from_and_when_that_was_checked() {
    for (name, _) in TABLES {
        let text = std::fs::read_to_string(folder().join(format!("{name}.tsv"))).unwrap();
        let head: Vec<&str> = text.lines().take_while(|line| line.starts_with('#')).collect();
        let said = |word: &str| head.iter().find_map(|line| line.split(word).nth(1)).map(str::trim).unwrap_or_default();
        assert!(said("Source: ").len() > 5, "{name}");
        let checked = said("Checked: ");
        let (year, month) = checked.split_once('-').unwrap_or_default();
        assert!(
            year.parse::<u32>().is_ok_and(|year| year >= 2026) && month.parse::<u32>().is_ok(),
            "{name}: {checked}"
        );
        assert!(!said("Covers: ").is_empty(), "{name}");
    }
}

#[test]
fn what_is_not_known_is_refused() {
    assert!(!may_be("sometimes", Cell::Strength) && !may_be("querry", Cell::Kind) && !may_be("3x", Number));
    assert!(
        !may_be("target>=x", Conditions)
            && !may_be("devices=30", Conditions)
            && may_be("target>=30 optional", Conditions)
    );
    assert!(!may_be("high", Confidence), "an empty cell says so");
}
