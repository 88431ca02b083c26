//! `[links]` of `elvask.toml`: what the app means its links to be.

use elvask_link::association::android::is_fingerprint;
use elvask_link::expect::LinkTest;
use elvask_link::route::{BROWSER, Route};
use elvask_link::url::Link;
use elvask_platform::Platform;
use elvask_project::tomldoc::{Problem, Table, Text};

/// What is said of links beside hosts and schemes.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LinksConfig {
    /// SHA-256 of the certificates that sign the app.
    pub fingerprints: Vec<Text>,
    /// The folder that is put on the web, from the app's own.
    pub site: Option<Text>,
    /// The routes, in their order.
    pub routes: Vec<Route>,
    /// What must come of links.
    pub tests: Vec<LinkTest>,
}

/// What `opens` may say beside what a route opens.
const OUTCOMES: [&str; 4] = ["app", BROWSER, "chooser", "nothing"];

pub(super) fn read(links: &Table<'_, '_>, problems: &mut Vec<Problem>) -> LinksConfig {
    let mut config = LinksConfig { site: links.text("site", problems), ..LinksConfig::default() };
    if let Some(site) = &config.site
        && (site.text.is_empty() || std::path::Path::new(&site.text).has_root() || site.text.contains(':'))
    {
        let message =
            format!("`{}` is not a folder of the app, nor one beside it: write its path from the app", site.text);
        problems.push(Problem { message, span: site.span });
        config.site = None;
    }
    for one in links.texts("fingerprints", false, problems) {
        if is_fingerprint(&one.text) {
            config.fingerprints.push(one);
            continue;
        }
        let folded = one.text.to_ascii_uppercase();
        let message = if is_fingerprint(&folded) {
            format!("a fingerprint is written in capitals: {folded}")
        } else if folded.split(':').count() == 20 {
            "this is a SHA-1 fingerprint; the platforms want SHA-256, 32 pairs of digits: see `elvask fingerprint`"
                .to_owned()
        } else {
            "a fingerprint is 32 pairs of hex digits with colons between: see `elvask fingerprint`".to_owned()
        };
        problems.push(Problem { message, span: one.span });
    }
    for route in links.tables("routes", "a route", problems) {
        route.refuse_others(super::keys_of("links.routes"), problems);
        let hosts =
            route.texts("hosts", true, problems).into_iter().map(|host| host.text.to_ascii_lowercase()).collect();
        let path = route.required_text("path", problems);
        let opens = route.required_text("opens", problems);
        let (Some(path), Some(opens)) = (path, opens) else { continue };
        match Route::parse(&path.text, &opens.text) {
            Ok(route) => config.routes.push(route.on(hosts)),
            Err(message) => problems.push(Problem { message, span: path.span }),
        }
    }
    for test in links.tables("tests", "an expectation", problems) {
        let read = read_test(&test, &config.routes, problems);
        config.tests.extend(read);
    }
    config
}

fn read_test(test: &Table<'_, '_>, routes: &[Route], problems: &mut Vec<Problem>) -> Option<LinkTest> {
    test.refuse_others(super::keys_of("links.tests"), problems);
    let url = test.required_text("url", problems);
    let opens = test.required_text("opens", problems);
    let level = test.number("level", problems);
    let platform = test.text("platform", problems).and_then(|word| match word.text.as_str() {
        "android" => Some(Platform::Android),
        "ios" => Some(Platform::Ios),
        _ => {
            problems.push(Problem { message: "`platform` is android or ios".to_owned(), span: word.span });
            None
        }
    });
    let mut with = Vec::new();
    if let Some(table) = test.table("with", "`with`", problems) {
        for (key, _) in table.entries() {
            if let Some(value) = table.text(&key.text, problems) {
                with.push((key.text, value));
            }
        }
    }
    let (url, opens) = (url?, opens?);
    let is_known = OUTCOMES.contains(&opens.text.as_str()) || routes.iter().any(|route| route.opens == opens.text);
    if !is_known {
        let known: Vec<_> = routes.iter().map(|route| route.opens.as_str()).chain(OUTCOMES).collect();
        let hint = match elvask_platform::names::nearest(&opens.text, known.iter().copied()) {
            Some(meant) => format!("did you mean `{meant}`?"),
            None => format!("there are {}", elvask_project::tomldoc::list(&known)),
        };
        problems.push(Problem { message: format!("no route opens `{}`; {hint}", opens.text), span: opens.span });
        return None;
    }
    match Link::parse(&url.text) {
        Ok(link) => Some(LinkTest { url, link, opens, with, platform, level, span: test.span }),
        Err(error) => {
            problems.push(Problem { message: error.to_string(), span: url.span });
            None
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::config::Config;

    #[test]
    fn routes_and_expectations_are_read() {
        let print = vec!["AB"; 32].join(":");
        let (config, problems) = Config::parse(&format!(
            "elvask = 1\n[links]\nsite = 'site'\nfingerprints = ['{print}']\n[[links.routes]]\npath = '/site/{{site:int}}'\nopens = 'Site page'\n[[links.tests]]\nurl = 'https://marram.example/site/42'\nopens = 'Site page'\nplatform = 'ios'\nwith = {{ site = '42' }}\n"
        ));
        assert_eq!(problems, []);
        let links = &config.links;
        assert_eq!(
            (links.routes.len(), links.tests[0].with[0].1.text.as_str(), links.fingerprints.len()),
            (1, "42", 1)
        );
    }

    #[test]
    fn mistakes_are_named_with_their_places() {
        let text = "elvask = 1\n[links]\nfingerprints = ['14:6D']\n[[links.routes]]\npath = 'site'\nopens = 'Site page'\n[[links.tests]]\nurl = 'https://marram.example/%z'\nopens = 'app'\n[[links.tests]]\nurl = 'https://marram.example/'\nopens = 'brwser'\n";
        let (_, problems) = Config::parse(text);
        let found: Vec<_> = problems.iter().map(|problem| (problem.span.of(text), problem.message.as_str())).collect();
        assert_eq!(
            found,
            [
                ("'14:6D'", "a fingerprint is 32 pairs of hex digits with colons between: see `elvask fingerprint`"),
                ("'site'", "`site` must start with /"),
                (
                    "'https://marram.example/%z'",
                    "`%z` at character 24 is not a percent escape; write a percent sign as %25"
                ),
                ("'brwser'", "no route opens `brwser`; did you mean `browser`?"),
            ]
        );
    }
}
