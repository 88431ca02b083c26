//! The preferences of a hybrid app's `config.xml` that have a fixed form.

use crate::table::rows;
use crate::{Platform, Version};

/// A preference.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Preference {
    /// Its name, in small letters.
    pub name: &'static str,
    /// The platform that it is for; `None` for both.
    pub platform: Option<Platform>,
    /// What it takes.
    pub form: Form,
    /// What it decides, in words that follow "it decides".
    pub decides: &'static str,
}

/// What a preference takes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Form {
    /// One of these words.
    Words(Vec<&'static str>),
    /// `true` or `false`.
    Boolean,
    /// The number of a level.
    Level,
    /// A number.
    Number,
    /// A version.
    Version,
}

impl Form {
    fn read(text: &'static str) -> Form {
        match text {
            "boolean" => Form::Boolean,
            "level" => Form::Level,
            "number" => Form::Number,
            "version" => Form::Version,
            words => Form::Words(words.split('|').collect()),
        }
    }

    /// Returns the words that it takes, where it takes words.
    #[must_use]
    pub fn words(&self) -> Option<&[&'static str]> {
        match self {
            Form::Words(words) => Some(words),
            Form::Boolean => Some(&["true", "false"]),
            Form::Level | Form::Number | Form::Version => None,
        }
    }

    /// Says whether it takes a value. The tools pay no heed to capitals.
    #[must_use]
    pub fn takes(&self, value: &str) -> bool {
        let value = value.trim();
        match self {
            Form::Words(words) => words.iter().any(|word| word.eq_ignore_ascii_case(value)),
            Form::Boolean => value.eq_ignore_ascii_case("true") || value.eq_ignore_ascii_case("false"),
            Form::Level => value.parse::<u32>().is_ok_and(|level| (1..1000).contains(&level)),
            Form::Number => value.parse::<f64>().is_ok(),
            Form::Version => Version::parse(value).is_some(),
        }
    }
}

/// Goes through all preferences.
pub fn preferences() -> impl Iterator<Item = Preference> {
    rows(include_str!("../data/widget-preferences.tsv")).map(|row| Preference {
        name: row.cell(0),
        platform: [Platform::Android, Platform::Ios].into_iter().find(|platform| platform.id() == row.cell(1)),
        form: Form::read(row.cell(2)),
        decides: row.cell(3),
    })
}

/// Returns a preference by its name, in letters of any case.
#[must_use]
pub fn preference(name: &str) -> Option<Preference> {
    preferences().find(|known| known.name.eq_ignore_ascii_case(name))
}
