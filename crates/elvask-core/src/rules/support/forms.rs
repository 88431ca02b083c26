//! Values of property lists, also deep inside, held against the table of their forms.

use elvask_markup::Span;
use elvask_markup::plist::{PropertyList, Value, ValueKind};
use elvask_needs::template::is_reference;
use elvask_platform::forms::{Step, ValueForm, value_forms};

/// What is wrong with a value.
pub(in crate::rules) enum Misfit {
    /// It is of another type.
    Type,
    /// Its text, or a key of it, does not look as it must.
    Form(String),
}

/// A value that does not fit.
pub(in crate::rules) struct Unfit<'v> {
    /// What it must be.
    pub(in crate::rules) form: ValueForm,
    /// The value.
    pub(in crate::rules) value: &'v Value,
    /// Where: the value, or the key of it that is wrong.
    pub(in crate::rules) span: Span,
    /// What is wrong.
    pub(in crate::rules) misfit: Misfit,
}

/// Returns the values of a list that do not fit: `file` is `plist`, `entitlements` or `privacy`.
pub(in crate::rules) fn unfit<'v>(file: &str, list: &'v PropertyList) -> Vec<Unfit<'v>> {
    let mut out = Vec::new();
    for form in value_forms(file) {
        // Most lists have few of the keys: nothing is walked that starts with another one.
        let Some(Step::Key(first)) = form.path.first() else { continue };
        let Some(entry) = list.entry(first) else { continue };
        let mut values = vec![&entry.value];
        for step in form.path.iter().skip(1) {
            values = values.into_iter().flat_map(|value| follow(value, *step)).collect();
        }
        for value in values {
            out.extend(judge(&form, value, list.is_xml()).into_iter().map(|(span, misfit)| Unfit {
                form: form.clone(),
                value,
                span,
                misfit,
            }));
        }
    }
    out.sort_by_key(|one| one.span.start);
    out
}

fn follow(value: &Value, step: Step) -> Vec<&Value> {
    match (&value.kind, step) {
        (ValueKind::Dict(entries), Step::Key(key)) => {
            entries.iter().filter(|entry| entry.key == key).map(|entry| &entry.value).collect()
        }
        (ValueKind::Dict(entries), Step::Any) => entries.iter().map(|entry| &entry.value).collect(),
        (ValueKind::Array(values), Step::Each) => values.iter().collect(),
        _ => Vec::new(),
    }
}

/// Says what is wrong with a value, with the places. The old text form knows no booleans.
fn judge(form: &ValueForm, value: &Value, typed: bool) -> Vec<(Span, Misfit)> {
    if value.as_str().is_some_and(is_reference) {
        return Vec::new();
    }
    if value.kind.type_name() != form.value_type {
        let tellable = typed || form.value_type != "boolean";
        return if tellable { vec![(value.span, Misfit::Type)] } else { Vec::new() };
    }
    let Some(wanted) = form.form else { return Vec::new() };
    let wrong = |text: &str| !is_reference(text) && !wanted.fits(text);
    if form.of_keys {
        let entries = value.as_dict().unwrap_or_default().iter().filter(|entry| wrong(&entry.key));
        return entries.map(|entry| (entry.key_span, Misfit::Form(entry.key.clone()))).collect();
    }
    let text = value.as_str().filter(|text| wrong(text));
    text.map(|text| (value.span, Misfit::Form(text.to_owned()))).into_iter().collect()
}

impl Unfit<'_> {
    /// Says what is wrong, in a sentence without a full stop.
    pub(in crate::rules) fn message(&self) -> String {
        let key = self.form.key();
        let article = |name: &str| if name.starts_with(['a', 'i']) { "an" } else { "a" };
        match &self.misfit {
            Misfit::Form(text) => format!("\"{text}\" in `{key}` is not {}", self.form.what),
            Misfit::Type => {
                let (wanted, given) = (self.form.value_type, self.value.kind.type_name());
                format!("`{key}` must be {} {wanted}, not {} {given}", article(wanted), article(given))
            }
        }
    }

    /// Returns what a person does about it, as steps.
    pub(in crate::rules) fn steps(&self) -> String {
        match &self.misfit {
            Misfit::Form(_) => format!("Write {}.", self.form.what),
            Misfit::Type => format!("Write the value as {}.", self.form.value_type),
        }
    }
}
