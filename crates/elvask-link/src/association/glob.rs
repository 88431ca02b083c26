//! The patterns of iOS's association file.
//!
//! Source: "Supporting associated domains" and "applinks.Details.Components" in the platform's documentation. All ways in which a pattern can
//! match are followed at once, so no pattern takes long.

use std::borrow::Cow;
use std::cell::Cell;
use std::collections::BTreeMap;
use std::rc::Rc;

use elvask_platform::ios;

/// The most ways that are kept of one variable, and the longest pattern, in characters: files come from elsewhere.
const MAX_VALUES: usize = 4096;
const MAX_PATTERN: usize = 8192;

/// How much work may go into holding one link against one file, in steps of a pattern over a text: a file comes from elsewhere, and no file that
/// serves devices comes near it.
const MAX_STEPS: u64 = 50_000_000;

/// What is left of the work that may go into one decision.
#[derive(Debug)]
pub(crate) struct Budget {
    left: Cell<u64>,
}

impl Budget {
    pub(crate) fn new() -> Self {
        Budget { left: Cell::new(MAX_STEPS) }
    }

    /// Takes some of it; `false` where it is used up.
    fn take(&self, steps: usize) -> bool {
        let left = self.left.get().checked_sub(u64::try_from(steps).unwrap_or(u64::MAX));
        self.left.set(left.unwrap_or(0));
        left.is_some()
    }

    /// Says whether it is used up.
    pub(crate) fn is_spent(&self) -> bool {
        self.left.get() == 0
    }
}

/// The variables of a file: names with the texts that may stand for them.
pub(crate) type Variables = BTreeMap<String, Vec<String>>;

#[derive(Debug, Clone, PartialEq, Eq)]
enum Token {
    /// This character.
    Letter(char),
    /// Any one character.
    One,
    /// Any run of characters, also none.
    Run,
    /// One character of a class.
    Class(Class),
    /// One of several texts. A variable that stands in a pattern many times is made ready once.
    OneOf(Rc<Vec<Vec<Token>>>),
    /// Nothing at all matches.
    Never,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Class {
    Alpha,
    Upper,
    Lower,
    Alnum,
    Digit,
    Xdigit,
}

impl Class {
    fn of(name: &str) -> Option<Class> {
        Some(match name {
            "alpha" => Class::Alpha,
            "upper" => Class::Upper,
            "lower" => Class::Lower,
            "alnum" => Class::Alnum,
            "digit" => Class::Digit,
            "xdigit" => Class::Xdigit,
            _ => return None,
        })
    }

    fn holds(self, letter: char) -> bool {
        match self {
            Class::Alpha => letter.is_ascii_alphabetic(),
            Class::Upper => letter.is_ascii_uppercase(),
            Class::Lower => letter.is_ascii_lowercase(),
            Class::Alnum => letter.is_ascii_alphanumeric(),
            Class::Digit => letter.is_ascii_digit(),
            Class::Xdigit => letter.is_ascii_hexdigit(),
        }
    }
}

/// A pattern that is ready to be held against texts.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Glob {
    tokens: Vec<Token>,
    /// Whether case counts.
    case: bool,
    /// How much went into making it ready, in letters.
    size: usize,
}

/// Returns the variables in a pattern that nothing defines; such a pattern matches nothing.
pub(crate) fn unknown(pattern: &str, variables: &Variables) -> Vec<String> {
    let names = pattern.split("$(").skip(1).filter_map(|rest| rest.split_once(')').map(|(name, _)| name));
    let known =
        |name: &str| Class::of(name).is_some() || matches!(name, "lang" | "region") || variables.contains_key(name);
    names.filter(|name| !known(name)).map(str::to_owned).collect()
}

/// Says whether the whole of a text fits a pattern, which is made ready only where the text starts like it: most of the rules of a large site
/// are about other pages. See [`Glob::new`].
pub(crate) fn fits(pattern: &str, case: bool, variables: Option<&Variables>, text: &str, budget: &Budget) -> bool {
    let plain = pattern.bytes().position(|byte| matches!(byte, b'*' | b'?' | b'$')).unwrap_or(pattern.len());
    let starts_alike = !case || pattern.get(..plain).is_none_or(|start| text.starts_with(start));
    starts_alike && Glob::new(pattern, case, variables).matches(text, budget)
}

impl Glob {
    /// Prepares a pattern. Without `variables`, as in `paths` and before iOS 13.5, `$(…)` is text.
    pub(crate) fn new(pattern: &str, case: bool, variables: Option<&Variables>) -> Self {
        let mut glob = Glob { tokens: Vec::new(), case, size: pattern.len() };
        if pattern.chars().nth(MAX_PATTERN).is_some() {
            glob.tokens.push(Token::Never);
            return glob;
        }
        let mut rest = pattern;
        let mut ready: BTreeMap<&str, Token> = BTreeMap::new();
        while let Some(letter) = rest.chars().next() {
            let name = variables.and_then(|_| rest.strip_prefix("$(")?.split_once(')'));
            if let (Some(variables), Some((name, behind))) = (variables, name) {
                let token = ready.entry(name).or_insert_with(|| variable(name, variables).unwrap_or(Token::Never));
                glob.tokens.push(token.clone());
                rest = behind;
                continue;
            }
            glob.tokens.push(plain(letter));
            rest = rest.get(letter.len_utf8()..).unwrap_or_default();
        }
        let letters = |token: &Token| match token {
            Token::OneOf(values) => values.iter().map(|value| value.len() + 1).sum(),
            _ => 0,
        };
        glob.size += ready.values().map(letters).sum::<usize>();
        glob
    }

    /// Says whether the whole of a text fits. Where the budget is used up, nothing does.
    pub(crate) fn matches(&self, text: &str, budget: &Budget) -> bool {
        if !budget.take(self.size) {
            return false;
        }
        let fold = |letter: char| if self.case { letter } else { letter.to_lowercase().next().unwrap_or(letter) };
        let text: Vec<char> = text.chars().map(fold).collect();
        let mut at = vec![false; text.len() + 1];
        if let Some(first) = at.first_mut() {
            *first = true;
        }
        let at = self.run(&self.tokens, &text, at, budget);
        at.last().copied().unwrap_or(false)
    }

    /// Moves the places that are reached over some tokens.
    fn run(&self, tokens: &[Token], text: &[char], mut at: Vec<bool>, budget: &Budget) -> Vec<bool> {
        for token in tokens {
            if !budget.take(at.len()) {
                return vec![false; at.len()];
            }
            let step = |fits: &dyn Fn(char) -> bool, at: &[bool]| {
                let mut next = vec![false; at.len()];
                for ((reached, letter), place) in at.iter().zip(text).zip(next.iter_mut().skip(1)) {
                    *place = *reached && fits(*letter);
                }
                next
            };
            at = match token {
                Token::Never => vec![false; at.len()],
                Token::One => step(&|_| true, &at),
                Token::Letter(wanted) => {
                    let folded = if self.case { *wanted } else { wanted.to_lowercase().next().unwrap_or(*wanted) };
                    step(&|letter| letter == folded, &at)
                }
                Token::Class(class) => {
                    // Without regard to case, a small letter stands for the large one as well.
                    step(&|letter| class.holds(letter) || (!self.case && class.holds(letter.to_ascii_uppercase())), &at)
                }
                Token::Run => {
                    let mut reached = false;
                    at.iter()
                        .map(|here| {
                            reached |= here;
                            reached
                        })
                        .collect()
                }
                Token::OneOf(values) => {
                    let mut next = vec![false; at.len()];
                    for value in values.iter() {
                        let reached = self.run(value, text, at.clone(), budget);
                        next.iter_mut().zip(reached).for_each(|(place, reached)| *place |= reached);
                    }
                    next
                }
            };
            if !at.contains(&true) {
                return at;
            }
        }
        at
    }
}

fn plain(letter: char) -> Token {
    match letter {
        '*' => Token::Run,
        '?' => Token::One,
        letter => Token::Letter(letter),
    }
}

/// Returns what a variable stands for.
fn variable(name: &str, variables: &Variables) -> Option<Token> {
    if let Some(class) = Class::of(name) {
        return Some(Token::Class(class));
    }
    let values: Vec<Cow<'_, str>> = match name {
        "lang" => ios::language_codes().map(Cow::Borrowed).collect(),
        "region" => ios::region_codes().map(Cow::Borrowed).collect(),
        _ => variables.get(name)?.iter().map(|value| Cow::Borrowed(value.as_str())).collect(),
    };
    // The values of a variable hold wildcards and no other variables.
    let values = values.iter().take(MAX_VALUES).map(|value| value.chars().map(plain).collect());
    Some(Token::OneOf(Rc::new(values.collect())))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn matches(pattern: &str, text: &str) -> bool {
        let variables = Variables::from([("food".to_owned(), vec!["mussel".to_owned(), "cockle*".to_owned()])]);
        let matches = Glob::new(pattern, true, Some(&variables)).matches(text, &Budget::new());
        for case in [true, false] {
            for variables in [None, Some(&variables)] {
                let whole = Glob::new(pattern, case, variables).matches(text, &Budget::new());
                assert_eq!(fits(pattern, case, variables, text, &Budget::new()), whole, "{pattern} {text} {case}");
            }
        }
        matches
    }

    #[test]
    fn wildcards_cover_the_whole_text() {
        assert!(matches("/buy/*", "/buy/") && matches("/buy/*", "/buy/1/2") && !matches("/buy/*", "/buy"));
        assert!(matches("/?*", "/a") && !matches("/?*", "/") && matches("*", ""));
        assert!(matches("/*/x/*", "/a/b/x/c"), "a run goes back where it must");
        assert!(!matches("/buy", "/buy/1"));
    }

    #[test]
    fn a_text_that_starts_otherwise_does_not_fit() {
        let parts = ["", "/", "/a", "/A", "/ä", "*", "?", "/a*", "/$(food)", "/mussel", "$", "a/a"];
        let mut fitting = 0;
        for pattern in parts {
            for text in parts {
                for behind in ["", "/a", "?"] {
                    fitting += usize::from(matches(&format!("{pattern}{behind}"), &format!("{text}/a")));
                }
            }
        }
        assert!(fitting > 20, "{fitting}");
    }

    #[test]
    fn variables_stand_for_their_values() {
        assert!(matches("/$(food)", "/mussel") && matches("/$(food)", "/cockles") && !matches("/$(food)", "/limpet"));
        assert!(matches("/$(digit)$(digit)", "/42") && !matches("/$(digit)", "/a"));
        assert!(
            matches("/$(lang)/x", "/nl/x") && matches("/$(lang)-$(region)", "/nl-NL") && !matches("/$(lang)", "/qq")
        );
        assert!(!matches("/$(Food)", "/mussel"), "names have case");
        assert_eq!(unknown("/$(nothing)/$(digit)/$(lang)", &Variables::new()), ["nothing"]);
    }

    #[test]
    fn a_pattern_that_could_take_for_ever_does_not() {
        let pattern = "*a".repeat(2000);
        assert!(!Glob::new(&pattern, true, None).matches(&"a".repeat(1900), &Budget::new()));
        let values = vec!["*".to_owned(); 4000];
        let variables = Variables::from([("x".to_owned(), values)]);
        let budget = Budget::new();
        assert!(!Glob::new(&"$(x)".repeat(2000), true, Some(&variables)).matches(&"a".repeat(5000), &budget));
        assert!(budget.is_spent(), "what takes too much is given up");
    }
}
