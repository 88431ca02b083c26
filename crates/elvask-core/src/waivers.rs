//! Findings that are accepted on purpose: by `[[waivers]]` in `elvask.toml`, and by comments in the app's own files.
//!
//! A comment accepts what is found on its own line where something else stands there too, and else in the start tag below it; of a key
//! of a property list, with its value. It says which rule, perhaps until when, and why:
//!
//! ```xml
//! <!-- elvask accept permission-store-review until 2027-03-31: the form is in -->
//! ```
//!
//! Comments in packages accept nothing: they come from somebody else.

use std::ops::Range;
use std::path::Path;

use elvask_markup::Span;
use elvask_needs::generated::Home;
use elvask_project::source::{FileId, Place};

use crate::config::Waiver;
use crate::context::Context;
use crate::finding::{Finding, Level};
use crate::needs::Settings;

/// What a comment starts with.
const WORDS: &str = "elvask accept ";
/// The most comments that are read of one file.
const MAX_COMMENTS: usize = 1_000;

/// How far the ends of a line are looked for, in bytes.
const LONGEST_LINE: usize = 4_096;

/// A comment that accepts findings.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Comment {
    /// Where it says so.
    pub place: Place,
    /// The bytes in which findings are accepted.
    covers: Range<usize>,
    /// The rule.
    pub rule: String,
    /// The last day on which it holds, as year-month-day.
    pub until: Option<String>,
    /// Why they are accepted; empty where it does not say.
    reason: String,
    /// How many it accepts.
    pub accepted: usize,
}

impl Comment {
    /// Says whether it says why.
    #[must_use]
    pub fn says_why(&self) -> bool {
        !self.reason.is_empty()
    }

    /// Says whether its last day is over.
    #[must_use]
    pub fn has_ended(&self, settings: &Settings) -> bool {
        matches!((&self.until, &settings.today), (Some(until), Some(today)) if until < today)
    }
}

/// Marks the findings that are accepted, and returns the comments with what each accepts. `is_obstacle` tells of a rule whether its
/// findings are of what cannot be read.
pub(crate) fn waive(context: &Context<'_>, findings: &mut [Finding], is_obstacle: fn(&str) -> bool) -> Vec<Comment> {
    let home = Home::new(context.app, context.sources);
    let at_home = |place: Place| home.as_ref().map_or(place, |home| home.place(place));
    let mut comments: Vec<Comment> = own_files(context, findings, &at_home)
        .into_iter()
        .flat_map(|file| comments(file, &context.sources.file(file).text))
        .collect();
    for finding in findings.iter_mut().filter(|finding| !is_obstacle(finding.rule.id)) {
        // What cannot be read cannot be accepted: it would hide everything behind it.
        finding.waived = by_config(context, finding);
        let place = at_home(finding.place);
        let covers = |comment: &&mut Comment| {
            comment.place.file == place.file
                && comment.covers.contains(&place.span.start)
                && comment.rule == finding.rule.id
                && !comment.reason.is_empty()
                && !comment.has_ended(context.settings)
        };
        if let Some(comment) = comments.iter_mut().find(covers) {
            comment.accepted += 1;
            finding.waived.get_or_insert_with(|| comment.reason.clone());
        }
    }
    comments
}

/// Says whether a waiver is too broad for a finding: errors are accepted one subject at a time, or one would hide the next.
pub(crate) fn is_too_broad(waiver: &Waiver, finding: &Finding) -> bool {
    waiver.subject.is_none() && finding.level == Level::Error
}

/// Says whether the last day of a waiver is over.
#[must_use]
pub fn waiver_has_ended(waiver: &Waiver, settings: &Settings) -> bool {
    // Dates written as year-month-day compare as text.
    matches!((&waiver.until, &settings.today), (Some(until), Some(today)) if until.text < *today)
}

fn by_config(context: &Context<'_>, finding: &Finding) -> Option<String> {
    let waiver = context.app.config.waivers.iter().find(|waiver| {
        waiver.rule.text == finding.rule.id
            && waiver.subject.as_ref().is_none_or(|subject| subject.text == finding.subject)
            && !is_too_broad(waiver, finding)
            && !waiver_has_ended(waiver, context.settings)
    });
    waiver.map(|waiver| waiver.reason.clone())
}

/// Returns the files of the app itself in which comments count, each once.
fn own_files(context: &Context<'_>, findings: &[Finding], at_home: &dyn Fn(Place) -> Place) -> Vec<FileId> {
    let mut files: Vec<FileId> = context.manifests.iter().map(|manifest| manifest.file).collect();
    files.extend(context.plist.iter().map(|plist| plist.file));
    files.extend(context.surface.entitlements().map(|(file, _)| file));
    files.extend(context.surface.privacy().map(|(file, _)| file));
    files.extend(findings.iter().map(|finding| finding.place.file));
    let mut files: Vec<FileId> =
        files.into_iter().map(|file| at_home(Place { file, span: Span::at(0) }).file).collect();
    files.sort_unstable();
    files.dedup();
    let packages =
        || context.app.plugins.iter().filter(|plugin| !plugin.own).filter_map(|plugin| plugin.root.as_deref());
    let is_own = |path: &Path| !packages().any(|root| path.starts_with(root));
    files.retain(|file| {
        let source = context.sources.file(*file);
        memchr::memmem::find(source.text.as_bytes(), WORDS.as_bytes()).is_some() && is_own(&source.path)
    });
    files
}

/// Reads the comments of a text that accept findings.
fn comments(file: FileId, text: &str) -> Vec<Comment> {
    let is_xml = text.trim_start_matches('\u{FEFF}').trim_start().starts_with('<');
    let all = text.match_indices(WORDS).take(MAX_COMMENTS);
    all.filter_map(|(at, _)| if is_xml { of_xml(file, text, at) } else { of_lines(file, text, at) }).collect()
}

/// Reads a comment of XML whose words start at `at`.
fn of_xml(file: FileId, text: &str, at: usize) -> Option<Comment> {
    let opened = text.get(..at)?.trim_end().strip_suffix("<!--")?.len();
    let length = text.get(at..)?.find("-->")?;
    let end = at + length;
    let closed = end + 3;
    let line = line_around(text, opened, closed)?;
    let beside = text.get(line.start..opened)?.trim().len() + text.get(closed..line.end)?.trim().len();
    let covers = if beside > 0 { line } else { closed..next_tag(text, closed) };
    read(file, at..end, text.get(at + WORDS.len()..end)?, covers)
}

/// Returns where the next start tag ends; of a key of a property list, where the tag of its value does.
fn next_tag(text: &str, from: usize) -> usize {
    let mut at = from;
    // Comments in between are left out; there are never many of them.
    for _ in 0..32 {
        let Some(rest) = text.get(at..) else { return text.len() };
        let Some(start) = rest.find('<') else { return text.len() };
        let tag = rest.get(start..).unwrap_or_default();
        if tag.starts_with("<!--") {
            let Some(end) = tag.find("-->") else { return text.len() };
            at += start + end + 3;
            continue;
        }
        let end = tag_end(tag);
        if tag.starts_with("<key>") {
            let Some(close) = tag.find("</key>") else { return text.len() };
            let value = tag.get(close + 6..).unwrap_or_default();
            let Some(next) = value.find('<') else { return text.len() };
            let inside = value.get(next..).unwrap_or_default();
            return at + start + close + 6 + next + tag_end(inside);
        }
        return at + start + end;
    }
    at
}

/// Returns where a tag ends, quoted values left out.
fn tag_end(tag: &str) -> usize {
    let mut quote = None;
    for (at, letter) in tag.char_indices() {
        match (quote, letter) {
            (Some(open), letter) if open == letter => quote = None,
            (Some(_), _) => {}
            (None, '"' | '\'') => quote = Some(letter),
            (None, '>') => return at + 1,
            (None, _) => {}
        }
    }
    tag.len()
}

/// Reads a comment behind `//` or `#` whose words start at `at`.
fn of_lines(file: FileId, text: &str, at: usize) -> Option<Comment> {
    let line = line_around(text, at, at)?;
    let before = text.get(line.start..at)?.trim_end();
    let code = before.strip_suffix("//").or_else(|| before.strip_suffix('#'))?;
    let covers = if code.trim().is_empty() {
        let next = line_around(text, line.end + 1, line.end + 1).unwrap_or(line.end..line.end);
        line.start..next.end
    } else {
        line.clone()
    };
    read(file, at..line.end, text.get(at + WORDS.len()..line.end)?, covers)
}

/// Returns the whole lines around some bytes, without the last end of line. Of a line of many thousand letters a part: whatever else
/// is on it is beside them.
fn line_around(text: &str, start: usize, end: usize) -> Option<Range<usize>> {
    let least = (start.saturating_sub(LONGEST_LINE)..=start).find(|at| text.is_char_boundary(*at))?;
    let most = (end..=text.len().min(end + LONGEST_LINE)).rev().find(|at| text.is_char_boundary(*at))?;
    let from = text.get(least..start)?.rfind('\n').map_or(least, |at| least + at + 1);
    let to = text.get(end..most)?.find('\n').map_or(most, |at| end + at);
    Some(from..to)
}

/// Reads what stands behind the words: rule, perhaps a day, and the reason.
fn read(file: FileId, words: Range<usize>, said: &str, covers: Range<usize>) -> Option<Comment> {
    let (head, reason) = said.split_once(':').unwrap_or((said, ""));
    let mut parts = head.split_whitespace();
    let rule = parts.next()?.to_owned();
    let until = match (parts.next(), parts.next()) {
        (Some("until"), Some(day)) => Some(day.to_owned()),
        _ => None,
    };
    let reason = reason.split_whitespace().collect::<Vec<_>>().join(" ");
    let place = Place { file, span: Span::new(words.start, words.end) };
    let reason = if says_something(&reason) { reason } else { String::new() };
    Some(Comment { place, covers, rule, until, reason, accepted: 0 })
}

/// Says whether a reason is one: it has a letter or digit.
fn says_something(reason: &str) -> bool {
    reason.chars().any(char::is_alphanumeric)
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const REVIEW: &str = "permission-store-review";
    const SMS: &str = "<uses-permission android:name=\"android.permission.READ_SMS\"/>\n";

    fn waived(app: &Fixture, rule: &str) -> Vec<Option<String>> {
        app.findings(rule).into_iter().map(|finding| finding.waived).collect()
    }

    #[test]
    fn a_comment_accepts_what_is_below_it_or_beside_it() {
        let why = Some("the form is in".to_owned());
        let above = format!("    <!-- elvask accept {REVIEW}: the form\n    is in -->\n    {SMS}");
        assert_eq!(waived(&Fixture::android(&above), REVIEW), std::slice::from_ref(&why));
        let beside = format!("    {}  <!-- elvask accept {REVIEW}: the form is in -->\n", SMS.trim_end());
        assert_eq!(waived(&Fixture::android(&beside), REVIEW), [why]);
        let other = format!("    <!-- elvask accept {REVIEW}: the form is in -->\n    <application/>\n    {SMS}");
        let app = Fixture::android(&other);
        assert_eq!(waived(&app, REVIEW), [None], "it is not below it");
        assert_eq!(app.found("waiver-stale"), [format!("warning {REVIEW} 2:10")]);
    }

    #[test]
    fn what_is_not_a_comment_accepts_nothing() {
        let label = format!("    <application android:label=\"elvask accept {REVIEW}: I say so\"/>\n    {SMS}");
        let app = Fixture::android(&label);
        assert_eq!(waived(&app, REVIEW), [None]);
        assert!(app.found("waiver-stale").is_empty());
        // Many of them in one long line take no time that grows with the line.
        let many = format!("    <!-- {} -->{SMS}", "elvask accept x y ".repeat(20_000));
        assert_eq!(waived(&Fixture::android(&many), REVIEW), [None]);
    }

    #[test]
    fn a_comment_says_why_and_until_when() {
        let comment = |words: &str| {
            let mut app = Fixture::android(&format!("    <!-- elvask accept {words} -->\n    {SMS}"));
            app.settings.today = Some("2027-03-31".to_owned());
            app
        };
        for (words, told) in [
            (REVIEW, format!("the comment accepts {REVIEW} and does not say why")),
            ("permission-store-review: …", format!("the comment accepts {REVIEW} and does not say why")),
            ("permission-store-review until 2027-03-30: the form is in", format!("the comment accepts {REVIEW} until 2027-03-30")),
            ("permission-store-reviews: the form is in", "the comment accepts `permission-store-reviews`, which is not a rule; did you mean `permission-store-review`?".to_owned()),
        ] {
            let app = comment(words);
            assert_eq!(waived(&app, REVIEW), [None], "{words}");
            assert_eq!(app.findings("waiver-stale")[0].message, told);
        }
        let app = comment("permission-store-review until 2027-03-31: the form is in");
        assert!(waived(&app, REVIEW)[0].is_some() && app.found("waiver-stale").is_empty());
    }

    #[test]
    fn a_key_is_accepted_with_its_value() {
        let list = "    <!-- elvask accept purpose-vague: it is shown beside a picture -->\n    <key>NSCameraUsageDescription</key>\n    <string>This app needs access to the camera.</string>\n";
        assert!(waived(&Fixture::ios(list), "purpose-vague")[0].is_some());
    }

    #[test]
    fn words_of_a_build_file_are_read_behind_their_sign() {
        let build = |comment: &str| {
            format!(
                "android {{\n    namespace 'example.marram'\n    defaultConfig {{\n        applicationId 'marram-log' {comment}\n        minSdk 24\n        targetSdk 35\n    }}\n}}\n"
            )
        };
        let app = |comment: &str| Fixture::android("    <application/>\n").build(&build(comment));
        let accept = "// elvask accept identity-form: the build puts another one in";
        assert!(waived(&app(accept), "identity-form")[0].is_some());
        assert_eq!(waived(&app(""), "identity-form"), [None]);
    }

    #[test]
    fn a_package_accepts_nothing_of_its_own() {
        let comment = format!("<!-- elvask accept {REVIEW}: trust me -->\n");
        let library = format!(
            "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n{comment}{SMS}</manifest>"
        );
        let app = Fixture::android("    <application/>\n")
            .package("skua_files")
            .file("node_modules/skua_files/android/src/main/AndroidManifest.xml", &library);
        assert_eq!(waived(&app, REVIEW), [None]);
        assert!(app.found("waiver-stale").is_empty(), "and is not spoken of");
    }

    #[test]
    fn an_error_is_accepted_by_its_subject() {
        let open = "    <application>\n        <activity android:name=\".A\">\n            <intent-filter>\n                <action android:name=\"example.marram.A\"/>\n            </intent-filter>\n        </activity>\n    </application>\n";
        let app = |subject: &str| {
            Fixture::android(open)
                .toml(&format!("[[waivers]]\nrule = 'exported-unstated'\n{subject}reason = 'Tried out.'"))
        };
        assert_eq!(waived(&app(""), "exported-unstated"), [None]);
        let told = app("").findings("waiver-stale").remove(0);
        assert!(told.message.contains("names no subject"), "{}", told.message);
        let subject = app("").findings("exported-unstated")[0].subject.clone();
        assert!(waived(&app(&format!("subject = '{subject}'\n")), "exported-unstated")[0].is_some());
    }
}
