//! Rules of iOS's association file that never act, because an earlier one takes all of their links.

use super::apple::{AppId, AppleAssociation, Component};

/// How many pairs of rules are held against each other: a file comes from elsewhere.
const MAX_PAIRS: usize = 200_000;

/// A rule that never acts.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct IdleRule {
    /// The rule, as people write it.
    pub rule: String,
    /// The pattern of its path, as the file has it.
    pub path: String,
    /// The earlier rule that takes its links, as people write it.
    pub behind: String,
    /// Whether the rule was to keep links in the browser.
    pub exclude: bool,
}

/// A rule in one of the two forms, as far as this question goes.
struct Seen<'r> {
    path: Option<&'r str>,
    /// Whether it looks at nothing but the path.
    path_alone: bool,
    exclude: bool,
    case: bool,
    encoded: bool,
    written: String,
}

impl<'r> Seen<'r> {
    fn of(rule: &'r Component) -> Self {
        Seen {
            path: rule.path.as_deref(),
            path_alone: rule.query.is_none() && rule.fragment.is_none(),
            exclude: rule.exclude,
            case: rule.case,
            encoded: rule.encoded,
            written: rule.written(),
        }
    }

    fn old(rule: &'r str) -> Self {
        let path = rule.strip_prefix("NOT ");
        Seen {
            path: Some(path.unwrap_or(rule)),
            path_alone: true,
            exclude: path.is_some(),
            case: true,
            encoded: true,
            written: format!("\"{rule}\""),
        }
    }

    /// Says whether all links that another rule takes are taken by this one. `false` where that is not plain to see.
    fn covers(&self, other: &Seen<'_>) -> bool {
        if !self.path_alone || self.encoded != other.encoded || self.case && !other.case {
            return false;
        }
        let Some(own) = self.path else { return true };
        if own == "*" || own == "/*" {
            return true;
        }
        let Some(path) = other.path else { return false };
        let start = own.strip_suffix('*').unwrap_or_default();
        let plain = |text: &str| !text.contains(['*', '?', '$']);
        own == path || !start.is_empty() && plain(start) && path.starts_with(start)
    }
}

impl AppleAssociation {
    /// Returns the rules for an app that never act and whose result differs from that of the rule before them: an exclusion behind a
    /// wider rule, or the other way round.
    ///
    /// Source: "applinks.Details.Components" in the platform's documentation: the first rule that fits decides.
    #[must_use]
    pub fn idle_rules(&self, id: &AppId<'_>) -> Vec<IdleRule> {
        let mine = self.details.iter().filter(|detail| detail.apps.iter().any(|app| id.is(app)));
        let mut out = Vec::new();
        let mut left = MAX_PAIRS;
        for detail in mine {
            let new: Vec<Seen<'_>> = detail.components.iter().flatten().map(Seen::of).collect();
            let old: Vec<Seen<'_>> = detail.paths.iter().flatten().map(|rule| Seen::old(rule)).collect();
            for rules in [new, old] {
                for (at, rule) in rules.iter().enumerate() {
                    let before = rules.get(..at).unwrap_or_default();
                    let Some(rest) = left.checked_sub(before.len()) else { return out };
                    left = rest;
                    let behind = before.iter().find(|earlier| earlier.covers(rule));
                    if let Some(behind) = behind.filter(|behind| behind.exclude != rule.exclude) {
                        out.push(IdleRule {
                            rule: rule.written.clone(),
                            path: rule.path.unwrap_or_default().to_owned(),
                            behind: behind.written.clone(),
                            exclude: rule.exclude,
                        });
                    }
                }
            }
        }
        out
    }
}

impl IdleRule {
    /// Says what is wrong, in a sentence without a full stop.
    #[must_use]
    pub fn message(&self) -> String {
        let result = if self.exclude { "keeps nothing in the browser" } else { "opens the app for nothing" };
        format!("the rule {} {result}: {} before it takes all of its links", self.rule, self.behind)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn idle(rules: &str) -> Vec<String> {
        let text = format!(
            "{{\"applinks\":{{\"details\":[{{\"appIDs\":[\"A1B2C3D4E5.example.marram.fieldlog\"],{rules}}}]}}}}"
        );
        let file = AppleAssociation::parse(&text).unwrap();
        let id = AppId { team: None, bundle: "example.marram.fieldlog" };
        file.idle_rules(&id).into_iter().map(|one| one.path).collect()
    }

    #[test]
    fn an_exclusion_behind_a_wider_rule_never_acts() {
        assert_eq!(
            idle(r#""components":[{"/":"/ring/*"},{"/":"/ring/private/*","exclude":true}]"#),
            ["/ring/private/*"]
        );
        assert_eq!(idle(r#""components":[{},{"/":"/press","exclude":true}]"#), ["/press"]);
        assert_eq!(idle(r#""components":[{"/":"*","exclude":true},{"/":"/ring/*"}]"#), ["/ring/*"]);
        assert_eq!(idle(r#""paths":["*","NOT /press"]"#), ["/press"]);
    }

    #[test]
    fn what_acts_is_left() {
        let rules = [
            r#""components":[{"/":"/ring/private/*","exclude":true},{"/":"/ring/*"}]"#,
            r#""components":[{"/":"/ring/*","?":{"id":"*"}},{"/":"/ring/private","exclude":true}]"#,
            r#""components":[{"/":"/ring/*"},{"/":"/rings","exclude":true}]"#,
            r#""components":[{"/":"/ring/?"},{"/":"/ring/12","exclude":true}]"#,
            r#""components":[{"/":"/ring/*"},{"/":"/RING/press","exclude":true,"caseSensitive":false}]"#,
            r#""components":[{"/":"/*"},{"/":"/ring/*"}]"#,
            r#""paths":["NOT /press","*"]"#,
        ];
        for one in rules {
            assert!(idle(one).is_empty(), "{one}");
        }
    }
}
