//! Who needs a thing, learnt where, and where it is declared; and what a plugin needs.

use elvask_needs::kinds;
use elvask_platform::capability::{self, Capability};
use elvask_platform::{Platform, Strength};

use crate::context::Context;
use crate::finding::{Finding, NeededBy};
use crate::needs::Requirement;
use crate::survey::{Declaration, Survey};

/// One thing that is needed or declared, with both sides of it.
#[derive(Debug, Clone)]
pub struct Answer {
    /// Where.
    pub platform: Platform,
    /// The word for its kind.
    pub kind: &'static str,
    /// What identifies it to the platform.
    pub name: String,
    /// Who needs it, with how sure that is, and whether no use of that part is seen in this app.
    pub needed_by: Vec<(NeededBy, Strength, bool)>,
    /// Where it is declared.
    pub declared: Vec<Declaration>,
    /// What a check finds about it.
    pub findings: Vec<Finding>,
    /// What exactly is needed, where that is more than the name.
    pub detail: Option<String>,
}

/// What somebody asked about.
#[derive(Debug, Clone)]
pub enum Subject {
    /// A capability.
    Capability(Capability),
    /// A plugin of the app.
    Plugin(usize),
    /// A permission, key, scheme, query or attribute by its name or the end of it.
    Name(String),
}

/// Finds out what a word means: a plugin, a capability, or the name of a thing.
#[must_use]
pub fn subject(context: &Context<'_>, word: &str) -> Subject {
    if let Some(at) = context.app.plugins.iter().position(|plugin| plugin.name == word) {
        return Subject::Plugin(at);
    }
    match capability::capability(word) {
        Some(capability) => Subject::Capability(capability),
        None => Subject::Name(word.to_owned()),
    }
}

/// Answers who needs a thing and where it is declared; for a plugin, what it needs.
#[must_use]
pub fn why(context: &Context<'_>, survey: &Survey, findings: &[Finding], subject: &Subject) -> Vec<Answer> {
    let mut answers: Vec<Answer> = Vec::new();
    let mut at = |platform: Platform, kind: &'static str, name: &str| -> usize {
        let known = |answer: &Answer| answer.platform == platform && answer.kind == kind && answer.name == name;
        match answers.iter().position(known) {
            Some(at) => at,
            None => {
                let (needed_by, declared, findings) = (Vec::new(), Vec::new(), Vec::new());
                answers.push(Answer {
                    platform,
                    kind,
                    name: name.to_owned(),
                    needed_by,
                    declared,
                    findings,
                    detail: None,
                });
                answers.len() - 1
            }
        }
    };
    let mut needs = Vec::new();
    for requirement in context
        .needs
        .all()
        .iter()
        .chain(context.needs.brought())
        .chain(context.needs.unreached())
        .filter(|requirement| is_meant(requirement, subject))
    {
        needs.push((at(requirement.platform, requirement.kind().id(), &requirement.name), requirement));
    }
    let mut declared = Vec::new();
    for declaration in &survey.declarations {
        let named = match subject {
            Subject::Name(word) => fits(&declaration.name, word),
            Subject::Capability(capability) => {
                capability.needs().any(|need| need.kind.id() == declaration.kind && need.name == declaration.name)
            }
            Subject::Plugin(_) => false,
        };
        let about = |requirement: &Requirement| {
            let spec = kinds::spec(requirement.kind());
            declaration.kind == requirement.kind().id()
                && declaration.platform == requirement.platform
                && spec.is_about(
                    context,
                    (&declaration.name, declaration.place),
                    (&requirement.name, &requirement.need),
                )
        };
        let needed = needs.iter().any(|(_, requirement)| about(requirement));
        if named || needed {
            declared.push((at(declaration.platform, declaration.kind, &declaration.name), declaration));
        }
    }
    for (at, requirement) in needs {
        if let Some(answer) = answers.get_mut(at) {
            let who = NeededBy::of(context.app, requirement);
            answer.needed_by.push((who, requirement.strength, requirement.is_unreached()));
            answer.detail = answer.detail.take().or_else(|| kinds::spec(requirement.kind()).detail(&requirement.need));
        }
    }
    for (at, declaration) in declared {
        if let Some(answer) = answers.get_mut(at) {
            answer.declared.push(declaration.clone());
        }
    }
    for answer in &mut answers {
        let about = |finding: &&Finding| finding.platform == Some(answer.platform) && finding.subject == answer.name;
        answer.findings = findings.iter().filter(about).cloned().collect();
    }
    answers.sort_by(|one, other| (one.platform, one.kind, &one.name).cmp(&(other.platform, other.kind, &other.name)));
    answers
}

fn is_meant(requirement: &Requirement, subject: &Subject) -> bool {
    match subject {
        Subject::Plugin(plugin) => requirement.plugin == *plugin,
        Subject::Capability(capability) => {
            let part =
                |need: &capability::CapabilityNeed| need.kind == requirement.kind() && need.name == requirement.name;
            requirement.capability == Some(*capability) || capability.needs().any(part)
        }
        Subject::Name(word) => fits(&requirement.name, word),
    }
}

/// Says whether a word names a thing: its whole name, its last part, or the scheme behind an action, whatever the case.
fn fits(name: &str, word: &str) -> bool {
    let same = |part: &str| part.eq_ignore_ascii_case(word);
    same(name) || name.rsplit(['.', ' ']).next().is_some_and(same)
}
