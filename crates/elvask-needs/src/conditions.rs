//! Conditions on levels and versions, as sheets state them.

use serde::{Deserialize, Serialize};

/// One comparison.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
enum Comparison {
    AtLeast,
    Above,
    AtMost,
    Below,
    Equal,
}

/// A range written as comparisons with commas between: `>=31`, `<17.0`, `>=24, <33`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Range<T> {
    parts: Vec<(Comparison, T)>,
}

impl<T: PartialOrd + Copy> Range<T> {
    /// Reads a range; `number` reads one number of it.
    pub(crate) fn parse(text: &str, number: impl Fn(&str) -> Option<T>) -> Option<Self> {
        let part = |part: &str| {
            let part = part.trim();
            let (comparison, rest) = [
                (">=", Comparison::AtLeast),
                ("<=", Comparison::AtMost),
                (">", Comparison::Above),
                ("<", Comparison::Below),
                ("=", Comparison::Equal),
            ]
            .iter()
            .find_map(|(sign, comparison)| Some((*comparison, part.strip_prefix(sign)?)))?;
            Some((comparison, number(rest.trim())?))
        };
        Some(Range { parts: text.split(',').map(part).collect::<Option<Vec<_>>>()? })
    }

    /// Makes the range from a number upwards.
    pub(crate) fn at_least(bound: T) -> Self {
        Range { parts: vec![(Comparison::AtLeast, bound)] }
    }

    /// Makes the range below a number.
    pub(crate) fn below(bound: T) -> Self {
        Range { parts: vec![(Comparison::Below, bound)] }
    }

    /// Says whether a number lies in the range.
    pub(crate) fn holds(&self, value: T) -> bool {
        self.parts.iter().all(|(comparison, bound)| match comparison {
            Comparison::AtLeast => value >= *bound,
            Comparison::Above => value > *bound,
            Comparison::AtMost => value <= *bound,
            Comparison::Below => value < *bound,
            Comparison::Equal => value == *bound,
        })
    }

    /// Says whether some number from `least` upwards can lie in the range.
    pub(crate) fn can_hold_from(&self, least: T) -> bool {
        self.parts.iter().all(|(comparison, bound)| match comparison {
            Comparison::AtLeast | Comparison::Above => true,
            Comparison::AtMost | Comparison::Equal => least <= *bound,
            Comparison::Below => least < *bound,
        })
    }
}

impl<T: std::fmt::Display> std::fmt::Display for Range<T> {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        for (at, (comparison, bound)) in self.parts.iter().enumerate() {
            let sign = match comparison {
                Comparison::AtLeast => ">=",
                Comparison::Above => ">",
                Comparison::AtMost => "<=",
                Comparison::Below => "<",
                Comparison::Equal => "=",
            };
            let comma = if at == 0 { "" } else { ", " };
            write!(out, "{comma}{sign}{bound}")?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ranges_hold_or_do_not() {
        let range = |text| Range::parse(text, |number| number.parse::<u32>().ok()).unwrap();
        assert!(range(">=24, <33").holds(32) && !range(">=24, <33").holds(33));
        assert!(range("<17").can_hold_from(16) && !range("<17").can_hold_from(17));
        assert!(range(">=17").can_hold_from(12));
        assert!(Range::parse("33", |number| number.parse::<u32>().ok()).is_none());
    }
}
