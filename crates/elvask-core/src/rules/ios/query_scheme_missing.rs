//! `query-scheme-missing`: a plugin asks about a scheme that the app cannot ask about.

use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::missing::missing;

/// See the module.
pub struct QuerySchemeMissing;

static ABOUT: About = About {
    id: "query-scheme-missing",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a scheme that a plugin asks about and that `LSApplicationQueriesSchemes` does not name.",
    effect: "canOpenURL returns false even for an installed app: the button does nothing.",
    wrong: "<key>LSApplicationQueriesSchemes</key>\n<array>\n</array>",
    right: "<key>LSApplicationQueriesSchemes</key>\n<array>\n    <string>tel</string>\n</array>",
    remedy: "`fill` adds the scheme to the list, and the list where there is none. Only the first 50 entries count. Code that calls open(_:) at once and looks at its answer needs no entry: then a waiver says so.",
    source: "canOpenURL(_:)",
};

impl Rule for QuerySchemeMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        missing(context, Kind::QueryScheme, &ABOUT, out);
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "query-scheme-missing";
    const NAME: &str = "    <key>CFBundleName</key>\n    <string>Marram</string>\n";

    fn list(schemes: &[&str]) -> String {
        let lines: String = schemes.iter().map(|scheme| format!("        <string>{scheme}</string>\n")).collect();
        format!("    <key>LSApplicationQueriesSchemes</key>\n    <array>\n{lines}    </array>\n")
    }

    #[test]
    fn two_schemes_end_up_in_one_list() {
        let app = Fixture::ios(NAME)
            .needs("plover_dialer", "capability = 'open-phone'")
            .needs("p", "ios.query-scheme = 'sms'");
        assert_eq!(app.found(ID), ["error sms 2:1", "error tel 2:1"]);
        app.mends_plist(ID, &format!("{NAME}{}", list(&["sms", "tel"])));
    }

    #[test]
    fn a_scheme_joins_those_that_are_there() {
        let app = Fixture::ios(&list(&["mailto"])).needs("plover_dialer", "capability = 'open-phone'");
        assert_eq!(app.found(ID), ["error tel 4:5"]);
        app.mends_plist(ID, &list(&["mailto", "tel"]));
        assert!(Fixture::ios(&list(&["TEL"])).needs("plover_dialer", "capability = 'open-phone'").found(ID).is_empty());
    }

    #[test]
    fn a_name_may_wait_for_an_answer() {
        let app = Fixture::ios(NAME).needs("p", "ios.query-scheme = '{scheme}'");
        assert!(app.found(ID).is_empty());
        assert_eq!(app.found("answer-missing"), ["error p.scheme 3:1"]);
        assert_eq!(app.toml("[links]\nschemes = ['marram']").found(ID), ["error marram 2:1"]);
    }
}
