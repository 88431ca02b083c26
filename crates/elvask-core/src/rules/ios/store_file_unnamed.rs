//! `store-file-unnamed`: no scheme names the file with which Xcode stands in for the store, or one names a file that is not there.

use elvask_markup::Span;
use elvask_markup::xml::Document;
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Settings;
use crate::rules::Rule;
use crate::rules::support::accounts::account;

/// See the module.
pub struct StoreFileUnnamed;

static ABOUT: About = About {
    id: "store-file-unnamed",
    level: Level::Note,
    platform: Some(Platform::Ios),
    summary: "Reports a StoreKit file that no shared scheme names, and a scheme that names one that is not there.",
    effect: "Where the app is tried, its list of products is that of the store, or empty.",
    wrong: "(Marram.storekit, and no StoreKitConfigurationFileReference in any scheme)",
    right: "<StoreKitConfigurationFileReference identifier = \"../../Marram.storekit\">",
    remedy: "A person names the file in the scheme: Edit Scheme, Run, Options, StoreKit Configuration.",
    source: "Setting up StoreKit testing in Xcode",
};

impl Rule for StoreFileUnnamed {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn is_asked(&self, settings: &Settings) -> bool {
        settings.accounts
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some((account, _)) = account(context) else { return };
        let last = |path: &str| path.rsplit('/').next().unwrap_or_default().to_owned();
        let files: Vec<String> =
            account.store_files.iter().map(|file| last(&context.sources.file(*file).shown)).collect();
        let mut named: Vec<String> = Vec::new();
        for scheme in &account.schemes {
            let source = context.sources.file(*scheme);
            for (identifier, span) in references(&source.text) {
                let name = last(&identifier);
                // From where the path leads is Xcode's own matter: the name alone is compared.
                if !files.contains(&name) {
                    let message = format!("{} names {name}, which is not in the app", last(&source.shown));
                    let steps = "In Xcode: Edit Scheme, Run, Options, StoreKit Configuration: choose the file.";
                    out.push(
                        Finding::new(&ABOUT, &name, Place { file: *scheme, span }, message)
                            .level(Level::Warning)
                            .mend(Remedy::Manual(steps.to_owned())),
                    );
                }
                named.push(name);
            }
        }
        // Schemes that are not shared are nobody else's to see.
        if !named.is_empty() || account.schemes.is_empty() {
            return;
        }
        for (file, name) in account.store_files.iter().zip(files) {
            let message = format!("none of the schemes that the project shares names {name}");
            let steps = format!("In Xcode: Edit Scheme, Run, Options, StoreKit Configuration: choose {name}.");
            out.push(
                Finding::new(&ABOUT, &name, Place { file: *file, span: Span::at(0) }, message)
                    .mend(Remedy::Manual(steps)),
            );
        }
    }
}

/// Returns the StoreKit files that a scheme names, each with its place.
fn references(text: &str) -> Vec<(String, Span)> {
    let Ok(document) = Document::parse(text) else { return Vec::new() };
    let mut found = Vec::new();
    let mut open = vec![document.root()];
    while let Some(element) = open.pop() {
        if element.name() == "StoreKitConfigurationFileReference"
            && let Some(attribute) = element.attribute_written("identifier")
        {
            found.push((element.value_of(attribute).into_owned(), attribute.value));
        }
        open.extend(element.children());
    }
    found
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "store-file-unnamed";

    fn found(scheme: Option<&str>) -> Vec<String> {
        let app =
            Fixture::registered("", "[[products]]\nid = 'example.marram.rings'\n").file("ios/Marram.storekit", "{}");
        let app = match scheme {
            None => app,
            Some(inside) => app.file(
                "ios/Marram.xcodeproj/xcshareddata/xcschemes/Marram.xcscheme",
                &format!("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<Scheme>\n<LaunchAction>{inside}</LaunchAction>\n</Scheme>\n"),
            ),
        };
        app.findings(ID).into_iter().map(|finding| finding.message).collect()
    }

    #[test]
    fn a_file_that_no_scheme_names_does_nothing() {
        assert_eq!(found(Some("")), ["none of the schemes that the project shares names Marram.storekit"]);
        let named = |name: &str| format!("<StoreKitConfigurationFileReference identifier = \"../../{name}\"/>");
        assert!(found(Some(&named("Marram.storekit"))).is_empty());
        assert_eq!(
            found(Some(&named("Old.storekit"))),
            ["Marram.xcscheme names Old.storekit, which is not in the app"]
        );
        assert!(found(None).is_empty(), "schemes that are not shared are not seen");
    }
}
