//! `permission-store-review`: the store asks questions about a permission.

use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform, android};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::short;

/// See the module.
pub struct PermissionStoreReview;

static ABOUT: About = About {
    id: "permission-store-review",
    level: Level::Note,
    platform: Some(Platform::Android),
    summary: "Reports a permission for which the store wants a declaration, or which it allows to some kinds of app only.",
    effect: "The store holds or rejects the upload until its declaration form is accepted.",
    wrong: "<uses-permission android:name=\"android.permission.READ_SMS\" />",
    right: "(the form in the store's console filled in, or no such line)",
    remedy: "A person fills in the form, or does without the permission. Waive the finding once that is done.",
    source: "Permissions and APIs that Access Sensitive Information",
};

impl Rule for PermissionStoreReview {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let mut told: Vec<&str> = Vec::new();
        // What a plugin's own manifest brings in ships as well.
        for (variant, permission) in
            context.variants.iter().flat_map(|one| one.permissions.iter().map(move |permission| (one, permission)))
        {
            let Some(wants) = android::store_review(&permission.name) else { continue };
            if told.contains(&permission.name.as_str()) {
                continue;
            }
            told.push(&permission.name);
            let element = variant.merged.at(permission.element);
            let place = element.attribute("name").map_or(element.place, |attribute| attribute.place);
            let all = context.variants.iter().filter(|variant| variant.permission(&permission.name).is_some());
            let name = short(&permission.name);
            out.push(
                Finding::new(&ABOUT, permission.name.clone(), place, format!("the store reviews apps with {name}"))
                    .effect(wants)
                    .in_variants(all.map(|variant| variant.variant.clone()).collect())
                    .needed_by(context.app, context.needs.of(Kind::Permission, &permission.name))
                    .mend(Remedy::Manual(format!(
                        "Declare the use of {name} in the store's console before the upload."
                    ))),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    #[test]
    fn it_is_worth_knowing_and_fails_nothing() {
        let app = Fixture::android("    <uses-permission android:name=\"android.permission.READ_SMS\"/>\n");
        assert_eq!(app.found("permission-store-review"), ["note android.permission.READ_SMS 2:36"]);
        assert!(app.findings("permission-store-review")[0].effect.contains("default messaging app"));
    }
}
