//! `query-scheme-excess`: the list of schemes is longer than what counts.

use elvask_needs::remedy::Remedy;
use elvask_platform::{Platform, ios};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct QuerySchemeExcess;

static ABOUT: About = About {
    id: "query-scheme-excess",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports the entries of `LSApplicationQueriesSchemes` past the fiftieth.",
    effect: "Only the first 50 entries count; for the rest canOpenURL returns false.",
    wrong: "<array>\n    … 50 schemes …\n    <string>tel</string>\n</array>",
    right: "<array>\n    … at most 50 schemes …\n</array>",
    remedy: "A person decides which schemes the app can do without, or opens them without asking first, which needs no entry.",
    source: "canOpenURL(_:)",
};

impl Rule for QuerySchemeExcess {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(plist) = context.plist else { return };
        let schemes = plist.query_schemes();
        let Some((first, value)) = schemes.get(ios::MAX_QUERY_SCHEMES) else { return };
        let over = schemes.len() - ios::MAX_QUERY_SCHEMES;
        let message = format!(
            "{} schemes are listed, and only {} count: {over} from `{first}` on are ignored",
            schemes.len(),
            ios::MAX_QUERY_SCHEMES
        );
        let steps = "Remove schemes that the app opens without asking first.";
        out.push(Finding::new(&ABOUT, *first, plist.at(value.span), message).mend(Remedy::Manual(steps.to_owned())));
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    #[test]
    fn the_fifty_first_is_pointed_out() {
        let list = |count: usize| {
            let lines: String = (0..count).map(|at| format!("        <string>s{at}</string>\n")).collect();
            format!("    <key>LSApplicationQueriesSchemes</key>\n    <array>\n{lines}    </array>\n")
        };
        assert!(Fixture::ios(&list(50)).found("query-scheme-excess").is_empty());
        assert_eq!(Fixture::ios(&list(52)).found("query-scheme-excess"), ["error s50 55:9"]);
    }
}
