//! Writing sheets: a draft of one from what a package's own files show, for a person to review.

use elvask_platform::{Platform, Strength};

use crate::evidence::{Evidence, Learned};
use crate::kinds::{self, toml::text};
use crate::requirement::{Need, When};
use crate::template::answers_in;

/// Returns the draft of a sheet. What is sure stands plain; what is doubtful is commented out, with the reason.
#[must_use]
pub fn draft(name: &str, version: Option<&str>, platforms: &[Platform], evidence: &Evidence) -> String {
    let mut out = String::new();
    out.push_str("# A draft, made from the package's own files. Read each entry against the line that it cites, word the reasons,\n");
    out.push_str("# delete what is wrong, then keep it as elvask/sheets/<name>.toml in the app or elvask-sheet.toml in the package.\n");
    out.push_str(&format!("sheet = 1\nplugin = {}\n", text(name)));
    if let Some(version) = version.filter(|version| semver::Version::parse(version).is_ok()) {
        out.push_str(&format!("versions = {}\n", text(&format!(">={version}"))));
    }
    if platforms.len() == 1 {
        let names: Vec<_> = platforms.iter().map(|platform| text(platform.id())).collect();
        out.push_str(&format!("platforms = [{}]\n", names.join(", ")));
    }
    let (brought, wanted): (Vec<_>, Vec<_>) = evidence.requirements.iter().partition(|learned| learned.brought);
    for learned in &wanted {
        out.push('\n');
        cite(learned, &mut out);
        match required(learned) {
            Some(entry) => out.push_str(&entry),
            None => out.push_str("# (a sheet cannot state this)\n"),
        }
    }
    if !brought.is_empty() {
        out.push_str("\n# The package's own manifest declares what follows, so that the build brings it into the app by itself. State it only\n");
        out.push_str("# if the app must declare it as well.\n");
        for learned in brought {
            out.push_str("#\n");
            let mut entry = String::new();
            cite(learned, &mut entry);
            entry.push_str(&required(learned).unwrap_or_default());
            comment_out(&entry, &mut out);
        }
    }
    if !evidence.doubtful.is_empty() {
        out.push_str("\n# Doubtful: nothing below is stated until its marks are taken off.\n");
        for doubtful in &evidence.doubtful {
            let mut entry = format!("# {}\n", doubtful.why);
            cite(&doubtful.learned, &mut entry);
            entry.push_str(&required(&doubtful.learned).unwrap_or_default());
            out.push_str("#\n");
            comment_out(&entry, &mut out);
        }
    }
    if !evidence.limits.is_empty() {
        out.push_str("\n# Not known:\n");
        for limit in &evidence.limits {
            out.push_str(&format!("# - {}\n", plain(limit)));
        }
    }
    let all = wanted.iter().map(|learned| &learned.need);
    for key in answers_of(all, &wanted) {
        out.push_str(&format!("\n[answers.{key}]\ntitle = \"\" # what it is, and where the app's owner finds it\n"));
    }
    out
}

/// Returns the names of the answers that needs ask for and that a sheet has to explain.
fn answers_of<'n>(needs: impl Iterator<Item = &'n Need>, named: &[&Learned]) -> Vec<String> {
    let mut keys: Vec<String> = Vec::new();
    let mut take = |text: &str| keys.extend(answers_in(text).into_iter().map(str::to_owned));
    for need in needs {
        kinds::spec(need.kind()).texts(need).into_iter().for_each(&mut take);
    }
    named.iter().for_each(|learned| take(&learned.name));
    keys.sort();
    keys.dedup();
    keys.retain(|key| !matches!(key.as_str(), "android_id" | "ios_id" | "ios_team" | "scheme" | "host"));
    keys
}

fn plain(text: &str) -> String {
    text.chars()
        .map(|letter| if letter.is_control() || elvask_markup::text::is_hidden(letter) { ' ' } else { letter })
        .collect()
}

fn cite(learned: &Learned, out: &mut String) {
    for citation in &learned.citations {
        let (kind, file) = (citation.kind.title(), plain(&citation.file));
        out.push_str(&format!("# {kind}, {file}:{}: {}\n", citation.line, plain(&citation.quote)));
    }
}

fn comment_out(entry: &str, out: &mut String) {
    for line in entry.lines() {
        let line = line.strip_prefix("# ").unwrap_or(line);
        out.push_str(&format!("# {line}\n"));
    }
}

/// Returns the entry of a sheet that states a requirement; `None` where the format has none for it.
#[must_use]
pub fn required(learned: &Learned) -> Option<String> {
    let mut out = format!("[[requires]]\n{}\n", kinds::spec(learned.kind()).write(&learned.name, &learned.need)?);
    match learned.strength {
        Strength::Certain => {}
        Strength::Likely => out.push_str("likely = true\n"),
        Strength::Optional => out.push_str("optional = true\n"),
    }
    if let Some(group) = &learned.one_of {
        out.push_str(&format!("one-of = {}\n", text(group)));
    }
    if let Some(when) = conditions(&learned.when) {
        out.push_str(&format!("when = {{ {when} }}\n"));
    }
    Some(out)
}

fn conditions(when: &When) -> Option<String> {
    let parts = [
        when.target_level.as_ref().map(|range| format!("target-level = {}", text(&range.to_string()))),
        when.min_level.as_ref().map(|range| format!("min-level = {}", text(&range.to_string()))),
        when.ios_version.as_ref().map(|range| format!("ios-version = {}", text(&range.to_string()))),
        when.variant.as_ref().map(|pattern| format!("variant = {}", text(pattern))),
    ];
    let parts: Vec<_> = parts.into_iter().flatten().collect();
    (!parts.is_empty()).then(|| parts.join(", "))
}
