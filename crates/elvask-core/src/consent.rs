//! What strangers ask for, and a person must agree to by name before it is written.

use elvask_needs::remedy::{Remedy, Want};
use elvask_needs::requirement::{EvidenceKind, Need};
use elvask_needs::strangers::{Origin, Verdict, verdict};
use elvask_project::intent::Owner;

use crate::app::{App, SheetOrigin};
use crate::needs::{Learnt, Requirement};

/// What is thought of what a finding would write.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Judgement {
    /// Whether it is written, asked about or left to a person.
    pub(crate) verdict: Verdict,
    /// The component whose attribute it is: part of the name under which a person agrees, so that one consent opens one component.
    pub(crate) on: Option<String>,
}

impl Default for Judgement {
    fn default() -> Self {
        Judgement { verdict: Verdict::Written, on: None }
    }
}

/// Makes a remedy wait for consent that writes what a stranger asks for and what is not on the short list of what is written for
/// them; one that notes alone never bring about is left to a person.
///
/// `subject` is what the remedy is about; `consented` says whether the owner has agreed to something by its name.
pub(crate) fn ask_first(
    remedy: Remedy,
    judgement: &Judgement,
    subject: &str,
    consented: impl Fn(&str) -> bool,
) -> Remedy {
    if matches!(remedy, Remedy::Manual(_)) {
        return remedy;
    }
    match &judgement.verdict {
        Verdict::Written => remedy,
        Verdict::Refused(why) => Remedy::Manual(format!(
            "Decide yourself: {why}. If it is right, write this by hand, or state it in a sheet of the app's own: {}",
            remedy.text()
        )),
        Verdict::Asked(meaning) => {
            let subject = match &judgement.on {
                Some(on) => format!("{subject}@{on}"),
                None => subject.to_owned(),
            };
            if consented(&subject) {
                return remedy;
            }
            let (mut wants, lines) = match remedy {
                Remedy::Answer { wants, lines } => (wants, lines),
                remedy => (Vec::new(), whole_elements(&remedy.text())),
            };
            wants.push(Want::Consent { subject, meaning: meaning.clone() });
            Remedy::Answer { wants, lines }
        }
    }
}

/// Says what becomes of what is written for some requirements: the strictest that holds of one of their needs. Of those who need the
/// very same the one is heard who is trusted the most.
pub(crate) fn strictest(app: &App, requirements: &[&Requirement]) -> Judgement {
    let mut needs: Vec<(&Need, Origin, &Requirement)> = Vec::new();
    for one in requirements {
        let origin = origin(app, one);
        match needs.iter_mut().find(|(need, _, known)| **need == one.need && known.name == one.name) {
            Some((_, known, behind)) if *known < origin => (*known, *behind) = (origin, one),
            Some(_) => {}
            None => needs.push((&one.need, origin, one)),
        }
    }
    let mut strictest = Verdict::Written;
    for (need, origin, one) in needs {
        match (&strictest, verdict(origin, &one.name, one.named_by_owner, need)) {
            (Verdict::Refused(_), _) | (_, Verdict::Written) => {}
            (_, refused @ Verdict::Refused(_)) => strictest = refused,
            (Verdict::Written, asked) => strictest = asked,
            (Verdict::Asked(_), _) => {}
        }
    }
    let on = requirements.iter().find_map(|one| match &one.need {
        Need::Attribute { owner: owner @ (Owner::Class(_) | Owner::Launcher), .. } => Some(owner.word().to_owned()),
        _ => None,
    });
    Judgement { verdict: strictest, on }
}

/// Returns the lines of a remedy without the end of an empty tag that they open up, as they are shown without what stands around them.
fn whole_elements(lines: &str) -> String {
    let Some(inside) = lines.strip_prefix(">\n") else { return lines.to_owned() };
    let inside = inside.trim_end();
    let inside = match inside.rsplit_once('\n') {
        Some((inside, last)) if last.trim_start().starts_with("</") => inside,
        _ => inside,
    };
    let indent = inside.lines().map(|line| line.len() - line.trim_start().len()).min().unwrap_or(0);
    inside.lines().map(|line| line.get(indent..).unwrap_or(line)).collect::<Vec<_>>().join("\n")
}

/// Says who asks for something.
fn origin(app: &App, requirement: &Requirement) -> Origin {
    let Some(plugin) = app.plugins.get(requirement.plugin) else { return Origin::Notes };
    if let Some(sheet) = &plugin.sheet {
        return match sheet.origin {
            SheetOrigin::App | SheetOrigin::Declared => Origin::Own,
            SheetOrigin::Package | SheetOrigin::Folder => Origin::Package,
            SheetOrigin::Placed => Origin::Placed,
        };
    }
    if plugin.own {
        return Origin::Own;
    }
    let in_notes = |learnt: &Learnt| matches!(learnt, Learnt::Found(citation) if citation.kind == EvidenceKind::Readme);
    if requirement.learnt.iter().all(in_notes) { Origin::Notes } else { Origin::Package }
}
