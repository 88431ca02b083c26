//! What strangers ask for, and a person must agree to by name before it is written.

use std::collections::HashMap;

use elvask_needs::remedy::{Remedy, Want};
use elvask_needs::requirement::{EvidenceKind, Need};
use elvask_needs::strangers::{Origin, Verdict, verdict};
use elvask_platform::Platform;

use crate::app::{App, SheetOrigin};
use crate::context::Context;
use crate::finding::Finding;
use crate::needs::{Learnt, Requirement};

/// Who asks for what, by the platform and the name.
pub(crate) struct Askers<'n> {
    by_name: HashMap<(Platform, &'n str), Vec<&'n Requirement>>,
}

impl<'n> Askers<'n> {
    /// Gathers them for an app.
    pub(crate) fn of(context: &'n Context<'_>) -> Self {
        let mut by_name: HashMap<_, Vec<_>> = HashMap::new();
        let unanswered = context.needs.unanswered.iter().map(|(requirement, _)| requirement);
        for one in context.needs.all().iter().chain(context.needs.brought()).chain(unanswered) {
            by_name.entry((one.platform, one.name.as_str())).or_default().push(one);
        }
        Askers { by_name }
    }

    /// Makes a remedy wait for consent that writes what a stranger asks for and what is not on the short list of what is written for
    /// them; one that notes alone never bring about is left to a person.
    pub(crate) fn ask_first(&self, context: &Context<'_>, finding: &mut Finding) {
        if finding.needed_by.is_empty() || matches!(finding.remedy, Remedy::Manual(_)) {
            return;
        }
        match self.verdict(context.app, finding) {
            Verdict::Written => {}
            Verdict::Refused(why) => {
                finding.remedy = Remedy::Manual(format!(
                    "Decide yourself: {why}. If it is right, write this by hand, or state it in a sheet of the app's own: {}",
                    finding.remedy.text()
                ));
            }
            Verdict::Asked(_) if context.consented(&finding.subject) => {}
            Verdict::Asked(meaning) => {
                let consent = Want::Consent { subject: finding.subject.clone(), meaning };
                let (mut wants, lines) = match &finding.remedy {
                    Remedy::Answer { wants, lines } => (wants.clone(), lines.clone()),
                    remedy => (Vec::new(), whole_elements(&remedy.text())),
                };
                wants.push(consent);
                finding.remedy = Remedy::Answer { wants, lines };
            }
        }
    }

    /// Says what becomes of what a finding would write: the strictest that holds of one of the needs behind it. Of those who need the very
    /// same the one is heard who is trusted the most.
    fn verdict(&self, app: &App, finding: &Finding) -> Verdict {
        let platforms = finding.platform.map_or(vec![Platform::Android, Platform::Ios], |platform| vec![platform]);
        let named = |one: &&&Requirement| {
            let plugin = app.plugins.get(one.plugin).map(|plugin| plugin.name.as_str());
            finding.needed_by.iter().any(|needed| plugin == Some(needed.plugin.as_str()))
        };
        let of = |platform| self.by_name.get(&(platform, finding.subject.as_str())).into_iter().flatten();
        let mut needs: Vec<(&Need, Origin, &Requirement)> = Vec::new();
        for one in platforms.into_iter().flat_map(of).filter(named) {
            let origin = origin(app, one);
            match needs.iter_mut().find(|(need, _, _)| **need == one.need) {
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
        strictest
    }
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
