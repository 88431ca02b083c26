//! `product-unregistered`: the app offers a product that the store does not have.

use elvask_markup::Span;
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::source::Place;

use crate::account::{PRODUCT_STATES, PRODUCT_TYPES};
use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Settings;
use crate::rules::Rule;
use crate::rules::support::accounts::account;
use crate::rules::support::identity::differs_at;

/// See the module.
pub struct ProductUnregistered;

static ABOUT: About = About {
    id: "product-unregistered",
    level: Level::Warning,
    platform: Some(Platform::Ios),
    summary: "Reports a product of the app's StoreKit file that the store does not have, does not sell yet or has as another type, as elvask/account.toml states it.",
    effect: "While one tries it out the product is offered; in the app that ships the list stays empty.",
    wrong: "\"productID\" : \"example.marram.season\"      (Marram.storekit)\n[[products]]\nid = \"example.marram.year\"",
    right: "[[products]]\nid = \"example.marram.season\"",
    remedy: "A person adds the product in the store's console and writes it into elvask/account.toml.",
    source: "Setting up StoreKit testing in Xcode",
};

impl Rule for ProductUnregistered {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn is_asked(&self, settings: &Settings) -> bool {
        settings.holds_accounts()
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some((account, account_file)) = account(context) else { return };
        let Some(products) = &account.products else { return };
        for file in &account.store_files {
            let source = context.sources.file(*file);
            for Offered { id, kind, span } in offered(&source.text) {
                let place = Place { file: *file, span };
                let known = products.iter().find(|product| product.id.text == id);
                let (message, steps, related) = match known {
                    Some(product) => {
                        let state = product.state.as_ref().filter(|state| state.text != PRODUCT_STATES[0]);
                        let other = product.kind.as_ref().zip(kind).filter(|(written, kind)| written.text != *kind);
                        match (state, other) {
                            (Some(state), _) => (
                                format!("the product {id} is not for sale in the store: its state is {}", state.text),
                                format!("Put {id} on sale in the store's console{}.", account.also("say so in")),
                                Some(state.span),
                            ),
                            (None, Some((written, kind))) => (
                                format!(
                                    "the product {id} is {kind} in the StoreKit file, and {} in the store",
                                    written.text
                                ),
                                // The type of a product that is in the store cannot be changed.
                                format!("Make {id} {} in the StoreKit file, or offer a new product.", written.text),
                                Some(written.span),
                            ),
                            (None, None) => continue,
                        }
                    }
                    None => {
                        let near = products.iter().find_map(|one| Some((one, differs_at(&id, &one.id.text)?)));
                        let case =
                            near.as_ref().map(|(one, differs)| format!(", which has {}: {differs}", one.id.text));
                        (
                            format!("the product {id} is not in the store{}", case.unwrap_or_default()),
                            format!(
                                "Add the product {id} in the store's console{}{}.",
                                account.request(&format!("products/{id}")),
                                account.also("add it to")
                            ),
                            near.map(|(one, _)| one.id.span),
                        )
                    }
                };
                let mut finding = Finding::new(&ABOUT, id, place, message).mend(Remedy::Manual(steps));
                if let Some(span) = related {
                    finding = finding.related(Place { file: account_file, span }, "stated here");
                }
                out.push(finding);
            }
        }
    }
}

/// A product of a StoreKit file.
struct Offered {
    id: String,
    /// What it is, in the words of `account.toml`, where that is known.
    kind: Option<&'static str>,
    span: Span,
}

/// Returns the products of a StoreKit file.
fn offered(text: &str) -> Vec<Offered> {
    let Ok(json) = serde_json::from_str::<serde_json::Value>(text) else { return Vec::new() };
    let list = |value: &serde_json::Value, key: &str| value.get(key).and_then(|list| list.as_array()).cloned();
    let groups = list(&json, "subscriptionGroups").unwrap_or_default();
    let subscriptions = groups.iter().filter_map(|group| list(group, "subscriptions")).flatten();
    let others = ["products", "nonRenewingSubscriptions"].into_iter().filter_map(|key| list(&json, key)).flatten();
    let id = |product: serde_json::Value| {
        let id = product.get("productID")?.as_str()?.to_owned();
        let at = text.find(&format!("\"{id}\""))?;
        let span = Span::new(at, at + id.len() + 2);
        let kind = match product.get("type").and_then(|kind| kind.as_str()) {
            Some("Consumable") => Some(PRODUCT_TYPES[0]),
            Some("NonConsumable") => Some(PRODUCT_TYPES[1]),
            Some("RecurringSubscription") => Some(PRODUCT_TYPES[2]),
            Some("NonRenewingSubscription") => Some(PRODUCT_TYPES[3]),
            _ => None,
        };
        Some(Offered { id, kind, span })
    };
    others.chain(subscriptions).filter_map(id).collect()
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "product-unregistered";
    const STORE: &str = "{ \"products\": [ { \"productID\": \"example.marram.rings\", \"type\": \"Consumable\" } ],\n\"subscriptionGroups\": [ { \"subscriptions\": [ { \"productID\": \"example.marram.season\" } ] } ] }";

    fn found(products: &str) -> Vec<String> {
        let app = Fixture::registered("", products).file("ios/Marram.storekit", STORE);
        app.findings(ID).into_iter().map(|finding| finding.message).collect()
    }

    #[test]
    fn what_the_store_does_not_sell_is_told() {
        assert!(found("").is_empty(), "the file does not speak of products");
        assert_eq!(
            found("[[products]]\nid = 'example.marram.Rings'\n"),
            [
                "the product example.marram.rings is not in the store, which has example.marram.Rings: letter 16 is `r` here and `R` there",
                "the product example.marram.season is not in the store",
            ]
        );
        let both = "[[products]]\nid = 'example.marram.rings'\n[[products]]\nid = 'example.marram.season'\n";
        assert!(found(both).is_empty());
        assert_eq!(
            found(&both.replacen("\n[[", "\ntype = 'subscription'\n[[", 1)),
            ["the product example.marram.rings is consumable in the StoreKit file, and subscription in the store"]
        );
        assert_eq!(
            found(&format!("{both}state = 'draft'\n")),
            ["the product example.marram.season is not for sale in the store: its state is draft"]
        );
    }
}
