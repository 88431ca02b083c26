//! The JSON of the commands that write: `fill`, `place`, `declare`, `withdraw`, `trim`, `init`, `recover`, `link files`.

use elvask_core::place::{Copied, Fate};
use elvask_core::withdraw::Removal;
use elvask_project::source::Sources;
use serde::Serialize;

use super::{FindingRecord, NeededByRecord, PlaceRecord, SummaryRecord, WantRecord};

/// A file that gets another text.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FileRecord {
    /// The file.
    pub file: String,
    /// The change as a unified diff.
    pub diff: String,
}

/// What `fill` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FillRecord {
    /// The version of the JSON.
    pub format: u32,
    /// Whether the files were written.
    pub written: bool,
    /// Whether they were only to be shown.
    pub dry_run: bool,
    /// The files that change.
    pub files: Vec<FileRecord>,
    /// The patch that takes all of it back, as `git apply` and `patch -p1` take it in the folder of the app.
    pub undo: String,
    /// What is mended.
    pub mended: Vec<MendedRecord>,
    /// What only the owner can give.
    pub wanted: Vec<WantRecord>,
    /// What is found afterwards.
    pub left: Vec<FindingRecord>,
    /// How much is found afterwards.
    pub summary: SummaryRecord,
    /// What a person does next.
    pub next: Vec<String>,
}

/// A finding that is mended.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct MendedRecord {
    /// The rule's id.
    pub rule: &'static str,
    /// What it was about.
    pub subject: String,
    /// What was wrong.
    pub message: String,
    /// Where it was.
    #[serde(flatten)]
    pub place: PlaceRecord,
}

/// What `place` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PlacingRecord {
    /// The version of the JSON.
    pub format: u32,
    /// Whether the files were written.
    pub written: bool,
    /// The pieces of the fragment.
    pub pieces: Vec<PieceRecord>,
    /// The files that change.
    pub files: Vec<FileRecord>,
}

/// One piece of a fragment.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PieceRecord {
    /// Its kind; null where it was not recognised.
    pub kind: Option<&'static str>,
    /// What identifies it to the platform, or its first line.
    pub name: String,
    /// Its value.
    pub value: Option<String>,
    /// The line of the fragment.
    pub line: usize,
    /// What becomes of it: `there`, `written`, `wants`, `by-hand` or `left`.
    pub fate: &'static str,
    /// Where it goes, in words.
    pub goes: String,
    /// The file that it goes into.
    pub file: Option<String>,
    /// What a person does about it.
    pub steps: Option<String>,
    /// What only the owner can give first.
    pub wants: Vec<WantRecord>,
}

/// What `declare` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DeclareRecord {
    /// The version of the JSON.
    pub format: u32,
    /// Whether the files were written.
    pub written: bool,
    /// Whether they were only to be shown.
    pub dry_run: bool,
    /// The files that change.
    pub files: Vec<FileRecord>,
    /// What is declared now.
    pub declared: Vec<String>,
    /// What only the owner can give.
    pub wanted: Vec<WantRecord>,
    /// What a person does.
    pub left: Vec<String>,
}

/// What `withdraw` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WithdrawRecord {
    /// The version of the JSON.
    pub format: u32,
    /// Whether the files were written.
    pub written: bool,
    /// Whether they were only to be shown.
    pub dry_run: bool,
    /// The files that change.
    pub files: Vec<FileRecord>,
    /// What is removed.
    pub withdrawn: Vec<RemovalRecord>,
    /// What stays, as it is still required.
    pub refused: Vec<RemovalRecord>,
}

/// A declaration that is to be removed.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RemovalRecord {
    /// Its kind.
    pub kind: &'static str,
    /// What identifies it to the platform.
    pub name: String,
    /// Where it is declared.
    #[serde(flatten)]
    pub place: PlaceRecord,
    /// Who needs it.
    pub needed_by: Vec<NeededByRecord>,
}

/// What `trim` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct TrimRecord {
    /// The version of the JSON.
    pub format: u32,
    /// Whether the files were written.
    pub written: bool,
    /// What is declared and needed by nothing.
    pub findings: Vec<FindingRecord>,
    /// What manifests of plugins bring into the app.
    pub brought: Vec<BroughtRecord>,
    /// What was looked at for a need.
    pub looked_at: LookedAtRecord,
    /// The files that change.
    pub files: Vec<FileRecord>,
    /// How much is found.
    pub summary: SummaryRecord,
}

/// A permission that a plugin's manifest brings into the app.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct BroughtRecord {
    /// The permission.
    pub name: String,
    /// The plugin.
    pub plugin: String,
    /// The manifest.
    pub file: String,
    /// The line, counted from 1.
    pub line: usize,
}

/// What `trim` looked at for a need.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct LookedAtRecord {
    /// How many sheets.
    pub sheets: usize,
    /// How many packages by their own files.
    pub packages: usize,
    /// Whether the app's own code.
    pub own_code: bool,
    /// The packages of which nothing is known.
    pub unknown: Vec<String>,
}

/// What `account check --format json` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AccountRecord {
    /// The version of the JSON.
    pub format: u32,
    /// What of `account.toml` was held against the app.
    pub held: Vec<String>,
    /// What was not, and why.
    pub not_held: Vec<String>,
    /// What differs.
    pub findings: Vec<FindingRecord>,
    /// What a person does about it, in the order in which it is done.
    pub steps: Vec<String>,
    /// How many there are.
    pub summary: SummaryRecord,
}

/// What `account serve` prints when it serves. The token itself is in none of it.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AccountServeRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The address.
    pub address: String,
    /// The file with the token; none where the token is in the environment.
    pub token_file: Option<String>,
}

/// What `account request` prints. The key itself is in none of it.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RequestRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The name in the request.
    pub name: String,
    /// The file with the private key.
    pub key: String,
    /// The file with the request.
    pub request: String,
    /// What a person does next, in the order in which it is done.
    pub steps: Vec<String>,
}

/// What `init` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct InitRecord {
    /// The version of the JSON.
    pub format: u32,
    /// Whether the file was written.
    pub written: bool,
    /// The file.
    pub file: String,
    /// Its text.
    pub text: String,
}

/// What `recover` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RecoverRecord {
    /// The version of the JSON.
    pub format: u32,
    /// `finished`, `taken-back`, or null where nothing was interrupted.
    pub done: Option<&'static str>,
    /// The files of the writing that was interrupted.
    pub files: Vec<RecoveredRecord>,
}

/// A file of a writing that was interrupted.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RecoveredRecord {
    /// The file.
    pub file: String,
    /// How far it had come: `old`, `new`, `torn` or `changed`.
    pub state: &'static str,
}

/// What `link files` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct LinkFilesRecord {
    /// The version of the JSON.
    pub format: u32,
    /// Whether the files were written.
    pub written: bool,
    /// Whether they were only to be shown.
    pub dry_run: bool,
    /// The files that change.
    pub files: Vec<FileRecord>,
    /// Where each host serves each file.
    pub hosts: Vec<HostRecord>,
    /// What is wanted first.
    pub wanted: Vec<String>,
    /// What else there is to know.
    pub notes: Vec<String>,
}

/// A file of a host.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct HostRecord {
    /// The host.
    pub host: String,
    /// The address at which it is looked for.
    pub url: String,
    /// The file that is put there.
    pub file: String,
}

impl PieceRecord {
    /// Makes the record of a piece.
    #[must_use]
    pub fn of(copied: &Copied, fate: &Fate) -> Self {
        let mut record = PieceRecord {
            kind: copied.kind.map(elvask_platform::Kind::id),
            name: copied.name.clone(),
            value: copied.value.clone(),
            line: copied.line,
            fate: "left",
            goes: copied.r#where.clone(),
            file: None,
            steps: None,
            wants: Vec::new(),
        };
        match fate {
            Fate::There => record.fate = "there",
            Fate::Written(file) => {
                record.fate = "written";
                record.file = Some(file.clone());
            }
            Fate::Wants(wants) => {
                record.fate = "wants";
                record.wants = wants.iter().map(WantRecord::from).collect();
            }
            Fate::ByHand(steps) => {
                record.fate = "by-hand";
                record.steps = Some(steps.clone());
            }
            Fate::Left => {}
        }
        record
    }
}

impl RemovalRecord {
    /// Makes the record of a declaration that is to be removed.
    #[must_use]
    pub fn of(sources: &Sources, removal: &Removal) -> Self {
        RemovalRecord {
            kind: removal.kind.id(),
            name: removal.name.clone(),
            place: PlaceRecord::of(sources, removal.place),
            needed_by: removal.needed_by.iter().map(NeededByRecord::of).collect(),
        }
    }
}
