//! Declared values that hold an answer of the owner's.

use elvask_markup::plist::plan::NewValue;
use elvask_needs::remedy::{Remedy, Want};
use elvask_needs::sheet::Answer;
use elvask_needs::template::{answers_in, fill_in, read_back};
use elvask_platform::Kind;
use elvask_project::source::Place;

use crate::context::Context;
use crate::needs::{Requirement, declared_value};
use crate::rules::support::{key_lines, rewrite, set_android};

/// A value that the app declares where a plugin wants one with an answer in it.
pub(super) struct DeclaredValue<'c> {
    /// What wants it.
    pub(super) requirement: &'c Requirement,
    /// The value that is wanted, with answers in curly brackets.
    pub(super) template: &'c str,
    /// The value that is there.
    pub(super) value: String,
    /// Where it stands.
    pub(super) place: Place,
}

/// Returns the declared values that hold an answer, one for each requirement. Values that the build puts in are left out.
pub(super) fn declared_values<'c>(context: &'c Context<'_>) -> Vec<DeclaredValue<'c>> {
    let mut found: Vec<DeclaredValue<'c>> = Vec::new();
    for requirement in context.needs.all() {
        let declared = declared_value(requirement, context.manifest.as_deref(), context.plist.as_ref());
        if let Some((template, value, place)) =
            declared.filter(|(_, _, place)| !found.iter().any(|other| other.place == *place))
        {
            found.push(DeclaredValue { requirement, template, value, place });
        }
    }
    found
}

impl DeclaredValue<'_> {
    /// Returns the answers that the declared value gives; none where it does not fit the template.
    pub(super) fn answers(&self) -> Vec<(String, String)> {
        read_back(self.template, &self.value).unwrap_or_default()
    }

    /// Returns what the sheet says of an answer.
    pub(super) fn asked<'a>(&self, context: &'a Context<'_>, key: &str) -> Option<&'a Answer> {
        context.app.plugins.get(self.requirement.plugin)?.sheet.as_ref()?.sheet.answer(key)
    }

    /// Says whether the declared value has the form of the template and of its answers.
    pub(super) fn fits(&self, context: &Context<'_>) -> bool {
        let Some(answers) = read_back(self.template, &self.value) else { return false };
        answers.iter().all(|(key, value)| self.asked(context, key).is_none_or(|asked| asked.fits(value)))
    }

    /// Returns the form that the value must have, for people.
    pub(super) fn form(&self, context: &Context<'_>) -> String {
        match answers_in(self.template).as_slice() {
            [key] if self.template.len() == key.len() + 2 => {
                format!("`{}`", self.asked(context, key).and_then(Answer::form).unwrap_or_default())
            }
            _ => format!("`{}`", self.template),
        }
    }

    /// Returns what writes the right value: the answer that the owner gives, or the question for it.
    pub(super) fn rewrite(&self, context: &Context<'_>) -> Remedy {
        let fitting = |key: &str| {
            let answer = context.answers.get(self.requirement.plugin, key)?;
            let fits = self.asked(context, key).is_none_or(|asked| asked.fits(&answer.value));
            fits.then(|| answer.value.clone())
        };
        self.rewrite_with(context, &fitting)
    }

    /// The same, where the declared value itself is not an answer for one key.
    pub(super) fn rewrite_without(&self, context: &Context<'_>, key: &str) -> Remedy {
        let fitting = |wanted: &str| {
            let answer = context.answers.get(self.requirement.plugin, wanted)?;
            let sample = self.asked(context, wanted).is_some_and(|asked| asked.samples.contains(&answer.value));
            (wanted != key || !sample).then(|| answer.value.clone())
        };
        self.rewrite_with(context, &fitting)
    }

    fn rewrite_with(&self, context: &Context<'_>, answer: &impl Fn(&str) -> Option<String>) -> Remedy {
        let name = &self.requirement.name;
        match fill_in(self.template, answer) {
            Ok(value) => {
                let title = format!("write {value}");
                self.write(context, title.clone(), &value).unwrap_or(Remedy::Manual(title))
            }
            Err(missing) => {
                let wants: Vec<Want> = context.wants(self.requirement, missing);
                let plist = self.requirement.kind() == Kind::Plist;
                let meta_data = || format!("<meta-data android:name=\"{name}\" android:value=\"…\" />");
                let lines = if plist { key_lines(name, "…") } else { meta_data() };
                Remedy::Answer { wants, lines }
            }
        }
    }

    fn write(&self, context: &Context<'_>, title: String, value: &str) -> Option<Remedy> {
        if self.requirement.kind() == Kind::Plist {
            let plist = context.plist?;
            let entry = plist.entry(&self.requirement.name)?;
            return Some(rewrite(context, plist, title, &entry.value, &NewValue::String(value.to_owned())));
        }
        let manifest = context.manifest.as_deref()?;
        let declared = manifest.meta_data.iter().find(|declared| declared.name == self.requirement.name)?;
        Some(Remedy::edit(title, manifest.file, vec![set_android(manifest, declared.element, "value", value)]))
    }
}
