//! What values of property lists look like, also deep inside: the table `ios-value-forms.tsv`.

use crate::Level;
use crate::table::with_key;

/// A step on the way from the top of a property list to a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Step {
    /// The value of a key.
    Key(&'static str),
    /// Every entry of a list.
    Each,
    /// The value of every key.
    Any,
}

/// What a text looks like.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// One to three numbers with dots between, 18 characters at most.
    Numbers,
    /// A service of the local network: `_name._tcp` or `_name._udp`, with a name of 1 to 15 letters, digits and hyphens.
    Bonjour,
    /// A host in small letters, without anything around it.
    Host,
    /// Hex digits, an even number of them, at least and at most so many.
    Hex(usize, usize),
    /// One of these words, with `|` between.
    Words(&'static str),
    /// A text that starts with this and goes on.
    Starts(&'static str),
    /// A text in small letters that ends in one of these, with `|` between.
    Ends(&'static str),
    /// A text that starts with the ten characters of a team and a dot.
    Team,
}

impl Form {
    fn parse(text: &'static str) -> Option<Self> {
        Some(match text.split_once('=') {
            None => match text {
                "numbers" => Form::Numbers,
                "bonjour" => Form::Bonjour,
                "host" => Form::Host,
                "team" => Form::Team,
                _ => return None,
            },
            Some(("words", words)) => Form::Words(words),
            Some(("starts", start)) => Form::Starts(start),
            Some(("ends", ends)) => Form::Ends(ends),
            Some(("hex", lengths)) => {
                let (least, most) = lengths.split_once('-')?;
                Form::Hex(least.parse().ok()?, most.parse().ok()?)
            }
            Some(_) => return None,
        })
    }

    /// Says whether a text looks so. A text with a build variable in it must be told apart before.
    #[must_use]
    pub fn fits(self, text: &str) -> bool {
        match self {
            Form::Numbers => {
                let parts: Vec<&str> = text.split('.').collect();
                let number = |part: &&str| !part.is_empty() && part.bytes().all(|byte| byte.is_ascii_digit());
                parts.len() <= 3 && text.len() <= 18 && parts.iter().all(number)
            }
            Form::Bonjour => {
                let text = text.strip_suffix('.').unwrap_or(text);
                let name = text.strip_suffix("._tcp").or_else(|| text.strip_suffix("._udp"));
                name.and_then(|name| name.strip_prefix('_')).is_some_and(|name| {
                    (1..=15).contains(&name.len())
                        && name.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-')
                })
            }
            Form::Host => {
                let label = |part: &str| {
                    !part.is_empty()
                        && part.bytes().all(|byte| {
                            byte.is_ascii_lowercase() || byte.is_ascii_digit() || matches!(byte, b'-' | b'_')
                        })
                };
                // The dot at the end is allowed: it takes the name as it is.
                text.strip_suffix('.').unwrap_or(text).split('.').all(label)
            }
            Form::Hex(least, most) => {
                (least..=most).contains(&text.len())
                    && text.len().is_multiple_of(2)
                    && text.bytes().all(|byte| byte.is_ascii_hexdigit())
            }
            Form::Words(words) => words.split('|').any(|word| word == text),
            Form::Starts(start) => text.strip_prefix(start).is_some_and(|rest| !rest.is_empty()),
            Form::Ends(ends) => {
                let ended = ends.split('|').any(|end| text.len() > end.len() && text.ends_with(end));
                ended && !text.bytes().any(|byte| byte.is_ascii_uppercase())
            }
            Form::Team => {
                let team = text.split('.').next().unwrap_or_default();
                let letter = |byte: u8| byte.is_ascii_uppercase() || byte.is_ascii_digit();
                team.len() == 10 && team.bytes().all(letter) && text.len() > 11
            }
        }
    }
}

/// What the values at one path look like.
#[derive(Debug, Clone)]
pub struct ValueForm {
    /// The way to them.
    pub path: Vec<Step>,
    /// Their type: `string`, `boolean`, `array` or `dictionary`.
    pub value_type: &'static str,
    /// The form of the text, where it has one.
    pub form: Option<Form>,
    /// Whether the form is that of the keys of a dictionary.
    pub of_keys: bool,
    /// What the text is, in words.
    pub what: &'static str,
    /// How bad it is where it is not.
    pub level: Level,
    /// What happens, in a sentence.
    pub effect: &'static str,
}

impl ValueForm {
    /// Returns the last key on the way: what the value is called.
    #[must_use]
    pub fn key(&self) -> &'static str {
        let last = self.path.iter().rev().find_map(|step| match step {
            Step::Key(key) => Some(*key),
            Step::Each | Step::Any => None,
        });
        last.unwrap_or_default()
    }
}

/// Goes through the forms of one file: `plist`, `entitlements` or `privacy`.
pub fn value_forms(file: &str) -> impl Iterator<Item = ValueForm> {
    with_key(include_str!("../data/ios-value-forms.tsv"), file).filter_map(|row| {
        let step = |step: &'static str| match step {
            "[]" => Step::Each,
            "*" => Step::Any,
            key => Step::Key(key),
        };
        let (of_keys, form) = match row.cell(3).strip_prefix("key:") {
            Some(form) => (true, form),
            None => (false, row.cell(3)),
        };
        Some(ValueForm {
            path: row.cell(1).split(" > ").map(step).collect(),
            value_type: row.cell(2),
            form: Form::parse(form),
            of_keys,
            what: row.cell(4),
            level: Level::parse(row.cell(5))?,
            effect: row.cell(6),
        })
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::table::rows;

    #[test]
    fn every_form_of_the_table_is_one_that_is_known() {
        for row in rows(include_str!("../data/ios-value-forms.tsv")).filter(|row| !row.cell(3).is_empty()) {
            let form = row.cell(3).trim_start_matches("key:");
            assert!(Form::parse(form).is_some() && !row.cell(4).is_empty(), "{form}");
        }
        assert_eq!(["plist", "entitlements", "privacy"].map(|file| value_forms(file).count() > 0), [true; 3]);
    }

    #[test]
    fn texts_fit_their_forms() {
        let fits: [(&str, &[&str], &[&str]); 8] = [
            (
                "numbers",
                &["1", "2.4", "2.4.0", "20261128"],
                &["", "1.", "v2", "2.4.0.1", "2.4-beta", "1234567890.12345678"],
            ),
            (
                "bonjour",
                &["_marram._tcp", "_http._udp."],
                &["marram._tcp", "_marram", "_marram._tcp.local", "_a b._tcp", "_._tcp"],
            ),
            (
                "host",
                &["marram.example", "localhost", "tide.marram.example."],
                &[
                    "https://marram.example",
                    "*.marram.example",
                    "Marram.example",
                    "marram.example:8080",
                    "marram.example/a",
                    "",
                ],
            ),
            ("hex=10-32", &["A0000002471001", "f222222222"], &["A000", "A00000024710012", "G222222222"]),
            ("words=Owner|None", &["Owner", "None"], &["owner", ""]),
            ("starts=group.", &["group.example.marram"], &["example.marram", "group."]),
            ("ends=.skadnetwork", &["abc123.skadnetwork"], &["ABC.skadnetwork", ".skadnetwork", "abc"]),
            ("team", &["A1B2C3D4E5.example.marram"], &["example.marram", "A1B2C3D4E5.", "a1b2c3d4e5.example"]),
        ];
        for (form, good, bad) in fits {
            let form = Form::parse(form).unwrap();
            assert!(good.iter().all(|text| form.fits(text)), "{form:?}");
            assert!(bad.iter().all(|text| !form.fits(text)), "{form:?}");
        }
    }
}
