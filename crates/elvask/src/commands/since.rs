//! What an earlier check found, so that a check tells of what is new alone.

use std::collections::HashMap;
use std::path::Path;

use elvask_core::app::{App, Look};
use elvask_core::check::{Report, check};
use elvask_core::finding::Finding;
use elvask_core::needs::Settings;
use elvask_project::files::{Disk, Files as _, normal};
use serde_json::Value;

use super::choice;
use crate::options::AppChoice;
use crate::output::Failure;
use crate::report::identity;
use crate::revision::Revision;

/// The largest record of an earlier check that is read, in bytes.
const MAX_RECORD: u64 = 256 * 1024 * 1024;

/// What `--since` takes.
const HINT: &str =
    "name a commit, branch or tag, or the JSON of an earlier check: elvask check --format json > earlier.json";

/// Where earlier findings come from.
pub(crate) enum Earlier {
    /// The JSON that an earlier check printed: of one app, or of several by their folders.
    Record(Value),
    /// A revision of the repository.
    Revision(String),
}

impl Earlier {
    /// Reads what stands behind `--since`.
    ///
    /// # Errors
    /// A file that is not the JSON of a check.
    pub(crate) fn of(word: &str) -> Result<Self, Failure> {
        let here = super::current_folder()?;
        let path = normal(&here.join(word));
        if !Disk.is_file(&path) {
            return Ok(Earlier::Revision(word.to_owned()));
        }
        let failure = |why: String| {
            Failure::new(format!("--since {word}: {why}")).hint(
                "it takes the JSON of an earlier check (elvask check --format json > earlier.json), or a revision",
            )
        };
        let bytes = std::fs::metadata(&path).map_or(0, |data| data.len());
        if bytes > MAX_RECORD {
            return Err(failure(format!("it has {bytes} bytes, and at most {MAX_RECORD} are read")));
        }
        let text = std::fs::read(&path).map_err(|error| failure(error.to_string()))?;
        let record: Value =
            serde_json::from_slice(&text).map_err(|error| failure(format!("it is not JSON: {error}")))?;
        let lists = ["findings", "apps"].iter().any(|key| record.get(key).is_some_and(Value::is_array));
        if record.get("format").and_then(Value::as_u64) != Some(1) || !lists {
            return Err(failure("it is not the JSON of a check".to_owned()));
        }
        Ok(Earlier::Record(record))
    }

    /// Returns how often each finding of an app was there. `path` is its folder as it is typed, where several apps are looked at.
    ///
    /// # Errors
    /// A revision that cannot be read, or at which the app was not there.
    pub(crate) fn findings(
        &self,
        root: &Path,
        path: Option<&str>,
        options: &AppChoice,
        settings: &Settings,
    ) -> Result<HashMap<String, usize>, Failure> {
        let mut found = HashMap::new();
        match self {
            Earlier::Record(record) => {
                let of_path = |app: &&Value| app.get("path").and_then(Value::as_str) == path;
                let own = match record.get("apps").and_then(Value::as_array) {
                    Some(apps) => apps.iter().find(of_path),
                    None => Some(record),
                };
                let findings = own.and_then(|own| own.get("findings")).and_then(Value::as_array);
                for one in findings.into_iter().flatten() {
                    let text = |key: &str| one.get(key).and_then(Value::as_str).unwrap_or_default();
                    let id = format!("{}|{}|{}|{}", text("rule"), text("platform"), text("subject"), text("file"));
                    *found.entry(id).or_default() += 1;
                }
            }
            Earlier::Revision(revision) => {
                let files = Revision::open(root, revision, ("--since ", HINT))?;
                // What is remembered of the disk is not of the revision.
                let choice = elvask_core::app::Choice { cache: None, ..choice(root, options, Look::WithoutSheet)? };
                // An app that was not there yet had no findings.
                let Ok(app) = App::load_choice(&files, root, &choice) else { return Ok(found) };
                for finding in &check(&app, settings).findings {
                    *found.entry(identity(&app.sources, finding)).or_default() += 1;
                }
            }
        }
        Ok(found)
    }
}

/// Says of each finding of a report whether it is new: of several that are alike, as many are as there are more now.
pub(crate) fn new_ones(app: &App, report: &Report, mut earlier: HashMap<String, usize>) -> Vec<bool> {
    let is_new = |finding: &Finding| match earlier.get_mut(&identity(&app.sources, finding)) {
        Some(left) if *left > 0 => {
            *left -= 1;
            false
        }
        _ => true,
    };
    report.findings.iter().map(is_new).collect()
}

/// Keeps what is new of a report, and what cannot be read: that hides the rest, whenever it came.
pub(crate) fn keep_new(app: &App, report: &mut Report, earlier: HashMap<String, usize>) {
    let mut new = new_ones(app, report, earlier).into_iter();
    report.findings.retain(|finding| new.next().unwrap_or(true) || elvask_core::rules::is_obstacle(finding.rule.id));
}
