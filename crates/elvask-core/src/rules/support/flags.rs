//! What an application says of itself while it is tried, and must not say in a release.

use elvask_markup::xml::plan;
use elvask_needs::remedy::Remedy;
use elvask_platform::Kind;
use elvask_project::names::ANDROID;

use crate::context::Context;
use crate::finding::{About, Finding};
use crate::rules::support::{flag, manifest_edit};

/// Tells of an attribute of `<application>` that is true in variants that ship; `local` is its name without the prefix.
pub(in crate::rules) fn in_release(context: &Context<'_>, about: &'static About, local: &str) -> Option<Finding> {
    let mut found: Option<Finding> = None;
    for variant in &context.variants {
        let stated = variant.application().and_then(|application| application.attribute(local));
        let Some(stated) = stated.filter(|stated| flag(context, &stated.value) == Some(true)) else { continue };
        let name = variant.variant.clone();
        if let Some(found) = &mut found {
            found.variants.push(name);
            continue;
        }
        let own = context.manifest_of(stated.place.file).and_then(|manifest| {
            let attribute = manifest.application?.attribute(ANDROID, local)?;
            Some((manifest, plan::remove_attribute(manifest.application?, attribute)))
        });
        // What a package asks for, and the owner has agreed to, is not taken out behind their back.
        let asked = !context.needs.of(Kind::Attribute, local).is_empty();
        let remedy = match own {
            Some(_) if asked => Remedy::Manual(format!("Remove android:{local} before the app is released.")),
            Some((manifest, edit)) => manifest_edit(format!("remove android:{local}"), manifest, vec![edit]),
            None => Remedy::Manual(format!(
                "The manifest of a package states it. Take it out of the merge: tools:remove=\"android:{local}\" on the application."
            )),
        };
        let message = format!("the release says android:{local}=\"true\"");
        found = Some(Finding::new(about, local, stated.place, message).in_variants(vec![name]).mend(remedy));
    }
    found
}
