//! The check: what an app declares, held against what its plugins and platforms require.

use elvask_needs::generated::Home;
use elvask_needs::remedy::Remedy;
use elvask_project::source::Sources;
use elvask_project::surface::Surface;

use crate::app::App;
use crate::consent;
use crate::context::Context;
use crate::dangling;
use crate::finding::{Finding, Level};
use crate::judged::{Judged, judged};
use crate::needs::Settings;
use crate::release::Release;
use crate::rules::{self, RULES};
use crate::unread;
use crate::waivers;

/// What a check comes to.
#[derive(Debug, Clone, Default)]
pub struct Report {
    /// The findings in the order of file, place and rule.
    pub findings: Vec<Finding>,
    /// Each side of the app, with what it was held against.
    pub judged: Vec<Judged>,
    /// What a person makes sure of before a release; `None` where the check is for no release.
    pub release: Option<Release>,
}

impl Report {
    /// Counts the findings of a level that are not waived.
    #[must_use]
    pub fn count(&self, level: Level) -> usize {
        self.findings.iter().filter(|finding| finding.counts() && finding.level == level).count()
    }

    /// Counts the findings that are waived.
    #[must_use]
    pub fn waived(&self) -> usize {
        self.findings.iter().filter(|finding| !finding.counts()).count()
    }

    /// Goes through what kept parts of the app from being judged.
    pub fn obstacles(&self) -> impl Iterator<Item = &Finding> {
        self.findings.iter().filter(|finding| rules::is_obstacle(finding.rule.id))
    }
}

/// Checks an app with its files as they were read.
#[must_use]
pub fn check(app: &App, settings: &Settings) -> Report {
    check_texts(app, &app.sources, settings)
}

/// Checks an app with its platform files as they are in `sources`.
#[must_use]
pub fn check_texts(app: &App, sources: &Sources, settings: &Settings) -> Report {
    judge(app, sources, settings, false)
}

/// Checks an app with its files as they were read, for a process that ends soon: what was made on the way, which can be large, is left
/// to the system to take back.
#[must_use]
pub fn check_once(app: &App, settings: &Settings) -> Report {
    judge(app, &app.sources, settings, true)
}

fn judge(app: &App, sources: &Sources, settings: &Settings, once: bool) -> Report {
    let anew = elvask_needs::generated::anew(app, sources);
    let sources = anew.as_ref().unwrap_or(sources);
    let surface = Surface::read(app, sources);
    let context = Context::new(app, sources, &surface, settings);
    let mut findings = Vec::new();
    for rule in RULES.iter().filter(|rule| rule.is_asked(settings)) {
        rule.check(&context, &mut findings);
        for manifest in &context.manifests {
            let before = findings.len();
            rule.check_manifest(&context, manifest, &mut findings);
            for finding in findings.iter_mut().skip(before) {
                finding.variants = context.variants_of(manifest);
            }
        }
    }
    for finding in &mut findings {
        let remedy = std::mem::replace(&mut finding.remedy, Remedy::Manual(String::new()));
        finding.remedy =
            consent::ask_first(remedy, &finding.judgement, &finding.subject, |name| context.consented(name));
        keep_form(&context, finding);
        dangling::leave_to_a_person(&context, finding);
    }
    let comments = waivers::waive(&context, &mut findings, rules::is_obstacle);
    for rule in RULES {
        let mut reviewed = Vec::new();
        rule.review(&context, &findings, &comments, &mut reviewed);
        findings.extend(reviewed);
    }
    unread::drop_what_depends(&context, &mut findings);
    if settings.built.is_some() {
        of_what_was_built(&context, &mut findings);
    }
    if let Some(home) = Home::new(app, sources) {
        findings.iter_mut().for_each(|finding| bring_home(&home, finding));
    }
    findings.sort_by(|one, other| {
        let key = |finding: &Finding| (finding.place.span.start, finding.rule.id);
        let file = |finding: &'_ Finding| sources.file(finding.place.file).shown.clone();
        file(one).cmp(&file(other)).then(key(one).cmp(&key(other))).then(one.subject.cmp(&other.subject))
    });
    let release = settings.release.then(|| Release::of(&context, &findings));
    let report = Report { findings, judged: judged(&context), release };
    if once {
        std::mem::forget(context);
        std::mem::forget(surface);
    }
    report
}

/// Leaves what was built as it is: it is mended in the sources. Of what is not in the file nothing is said.
fn of_what_was_built(context: &Context<'_>, findings: &mut Vec<Finding>) {
    // A waiver may be of the other side, or of what only the sources have.
    findings.retain(|finding| !matches!(finding.rule.id, "not-judged" | "waiver-stale"));
    // Without a signature that can be read, what it is signed with is not known.
    let unsigned = context.app.ios.is_some() && context.surface.entitlements().is_none();
    let of_signature = ["entitlement-", "domain-", "group-unshared", "link-one-sided"];
    findings.retain(|finding| !(unsigned && of_signature.iter().any(|start| finding.rule.id.starts_with(start))));
    for finding in findings {
        let steps = match &finding.remedy {
            Remedy::Edit { title, .. } => format!("In the sources: {title}. Then build once more."),
            Remedy::Answer { .. } => "In the sources: `elvask fill` asks for it. Then build once more.".to_owned(),
            Remedy::Manual(_) => continue,
        };
        finding.remedy = Remedy::Manual(steps);
    }
}

/// Leads a finding about a file that is made of a document back to the document.
fn bring_home(home: &Home<'_>, finding: &mut Finding) {
    finding.place = home.place(finding.place);
    if let Some((place, _)) = &mut finding.related {
        *place = home.place(*place);
    }
    finding.remedy = home.remedy(&finding.remedy);
}

/// Leaves edits of a list in the old text form to a person: what is planned for XML does not fit it.
fn keep_form(context: &Context<'_>, finding: &mut Finding) {
    let Some(plist) = context.plist.filter(|plist| !plist.list.is_xml()) else { return };
    let Remedy::Edit { title, edits, .. } = &finding.remedy else { return };
    if edits.iter().any(|(file, _)| *file == plist.file) {
        let shown = &context.sources.file(plist.file).shown;
        let steps = format!(
            "{title}, by hand: the list is in the old text form. After `plutil -convert xml1 {shown}`, `elvask fill` writes it."
        );
        finding.remedy = Remedy::Manual(steps);
    }
}

/// Returns what kept parts of the app from being read, without checking the rest.
#[must_use]
pub fn obstacles(app: &App, surface: &Surface, settings: &Settings) -> Vec<Finding> {
    if app.faults.is_empty() && surface.faults.is_empty() {
        return Vec::new();
    }
    let context = Context::new(app, &app.sources, surface, settings);
    let mut findings = Vec::new();
    for rule in RULES.iter().filter(|rule| rules::is_obstacle(rule.about().id)) {
        rule.check(&context, &mut findings);
    }
    findings
}
