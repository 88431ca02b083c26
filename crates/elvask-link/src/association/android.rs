//! `assetlinks.json`.
//!
//! Source: "Verify app links" in the platform's guides and the statement list format of digital asset links.

use elvask_platform::{Confidence, LinkFact};
use serde_json::Value;

/// The relation that lets an app open the links of a site.
pub const HANDLE_ALL_URLS: &str = "delegate_permission/common.handle_all_urls";

/// The most statements that are read of one file.
const MAX_STATEMENTS: usize = 10_000;

/// What the file says.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct AssetLinks {
    /// The statements about apps.
    pub statements: Vec<Statement>,
    /// The addresses of further lists.
    pub includes: Vec<String>,
}

/// A statement about one app.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Statement {
    /// What the app may do.
    pub relations: Vec<String>,
    /// The application id.
    pub package: String,
    /// SHA-256 of the certificates that sign it, as they are written.
    pub fingerprints: Vec<String>,
}

impl Statement {
    /// Says whether it lets its app open links.
    #[must_use]
    pub fn opens_links(&self) -> bool {
        self.relations.iter().any(|relation| relation == HANDLE_ALL_URLS)
    }
}

/// Why the file says nothing of an app that would count.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LinksProblem {
    /// The file is not in the form.
    #[error("{0}")]
    Form(String),
    /// No statement is about the app.
    #[error("no statement is about {package}{}", others(.listed))]
    NotListed {
        /// The application id.
        package: String,
        /// The ids that it lists.
        listed: Vec<String>,
    },
    /// The statement is about something else than links.
    #[error("the statement about {0} lacks the relation {HANDLE_ALL_URLS}")]
    NoRelation(String),
    /// No fingerprint of the app.
    #[error("the statement about {package} has none of the fingerprints of the app's certificates; it has {}", shorten(.listed))]
    OtherFingerprint {
        /// The application id.
        package: String,
        /// What stands there.
        listed: Vec<String>,
    },
    /// No fingerprint in the right form.
    #[error("the statement about {package} has no fingerprint in the form of 32 pairs of hex digits in capitals; it has {}", shorten(.listed))]
    BadFingerprint {
        /// The application id.
        package: String,
        /// What stands there.
        listed: Vec<String>,
        /// Whether one of the app's would do if it stood there in capitals.
        only_case: bool,
    },
}

impl LinksProblem {
    /// Returns how sure it is that the app is not let open links for this.
    #[must_use]
    pub fn confidence(&self) -> Confidence {
        match self {
            // Capitals are the published form; whether a verifier that is lenient is about is not known.
            LinksProblem::BadFingerprint { only_case: true, .. } => LinkFact::FingerprintCase.confidence(),
            _ => Confidence::High,
        }
    }
}

fn others(listed: &[String]) -> String {
    if listed.is_empty() { String::new() } else { format!("; the file lists {}", listed.join(", ")) }
}

fn shorten(listed: &[String]) -> String {
    let short = |text: &String| {
        if text.chars().count() > 20 {
            format!("{}…", text.chars().take(14).collect::<String>())
        } else {
            text.clone()
        }
    };
    if listed.is_empty() { "none".to_owned() } else { listed.iter().map(short).collect::<Vec<_>>().join(", ") }
}

/// Says whether a fingerprint is written as the file wants it: 32 pairs of hex digits in capitals, with colons between.
#[must_use]
pub fn is_fingerprint(text: &str) -> bool {
    let pairs: Vec<_> = text.split(':').collect();
    let good = |pair: &&str| pair.len() == 2 && pair.bytes().all(|byte| matches!(byte, b'0'..=b'9' | b'A'..=b'F'));
    pairs.len() == 32 && pairs.iter().all(good)
}

impl AssetLinks {
    /// Reads the file.
    ///
    /// # Errors
    /// What is wrong with its form, in a sentence without a full stop.
    pub fn parse(text: &str) -> Result<AssetLinks, String> {
        if text.starts_with('\u{FEFF}') {
            return Err("the file starts with a byte order mark; it must be plain UTF-8".to_owned());
        }
        let value: Value = serde_json::from_str(text).map_err(|error| format!("the file is not JSON: {error}"))?;
        let Value::Array(list) = value else {
            return Err("the file must be an array of statements: [ { … } ]".to_owned());
        };
        let mut links = AssetLinks::default();
        for one in list.iter().take(MAX_STATEMENTS) {
            let Value::Object(one) = one else {
                return Err("a statement must be an object: { \"relation\": […], \"target\": { … } }".to_owned());
            };
            if let Some(Value::String(include)) = one.get("include") {
                links.includes.push(include.clone());
                continue;
            }
            let Some(Value::Array(relations)) = one.get("relation") else {
                return Err("a statement needs \"relation\", an array of strings".to_owned());
            };
            let Some(Value::Object(target)) = one.get("target") else {
                return Err("a statement needs \"target\", an object".to_owned());
            };
            let text = |key: &str| target.get(key).and_then(Value::as_str).unwrap_or_default();
            if text("namespace") != "android_app" {
                continue;
            }
            let strings = |value: Option<&Value>| {
                let list = value.and_then(Value::as_array).map(Vec::as_slice).unwrap_or_default();
                list.iter().filter_map(Value::as_str).map(str::to_owned).collect::<Vec<_>>()
            };
            links.statements.push(Statement {
                relations: relations.iter().filter_map(Value::as_str).map(str::to_owned).collect(),
                package: text("package_name").to_owned(),
                fingerprints: strings(target.get("sha256_cert_fingerprints")),
            });
        }
        Ok(links)
    }

    /// Holds the file against an app. Without `fingerprints` any well-formed one counts.
    ///
    /// # Errors
    /// Why the app is not let open links.
    pub fn verify(&self, package: &str, fingerprints: &[String]) -> Result<(), LinksProblem> {
        let about: Vec<_> = self.statements.iter().filter(|one| one.package == package).collect();
        if about.is_empty() {
            let listed = self.statements.iter().map(|one| one.package.clone()).collect();
            return Err(LinksProblem::NotListed { package: package.to_owned(), listed });
        }
        let opening: Vec<_> = about.into_iter().filter(|one| one.opens_links()).collect();
        if opening.is_empty() {
            return Err(LinksProblem::NoRelation(package.to_owned()));
        }
        let listed = || opening.iter().flat_map(|one| &one.fingerprints);
        let package = package.to_owned();
        if !listed().any(|one| is_fingerprint(one)) {
            let would_do =
                |print: String| is_fingerprint(&print) && (fingerprints.is_empty() || fingerprints.contains(&print));
            let only_case = listed().any(|one| would_do(one.to_ascii_uppercase()));
            return Err(LinksProblem::BadFingerprint { package, listed: listed().cloned().collect(), only_case });
        }
        if !fingerprints.is_empty() && !listed().any(|one| fingerprints.contains(one)) {
            return Err(LinksProblem::OtherFingerprint { package, listed: listed().cloned().collect() });
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn file(package: &str, fingerprint: &str) -> String {
        format!(
            r#"[{{"relation":["{HANDLE_ALL_URLS}"],"target":{{"namespace":"android_app","package_name":"{package}","sha256_cert_fingerprints":["{fingerprint}"]}}}}]"#
        )
    }

    #[test]
    fn one_fingerprint_of_the_app_is_enough() {
        let good = vec!["AB"; 32].join(":");
        let links = AssetLinks::parse(&file("example.marram.fieldlog", &good)).unwrap();
        assert_eq!(links.verify("example.marram.fieldlog", &[]), Ok(()));
        assert_eq!(links.verify("example.marram.fieldlog", std::slice::from_ref(&good)), Ok(()));
        let other = vec!["CD"; 32].join(":");
        assert!(matches!(
            links.verify("example.marram.fieldlog", &[other]),
            Err(LinksProblem::OtherFingerprint { .. })
        ));
        assert_eq!(
            links.verify("example.other", &[]).unwrap_err().to_string(),
            "no statement is about example.other; the file lists example.marram.fieldlog"
        );
        let small = AssetLinks::parse(&file("example.marram.fieldlog", &good.to_lowercase())).unwrap();
        assert!(matches!(small.verify("example.marram.fieldlog", &[]), Err(LinksProblem::BadFingerprint { .. })));
        // Whether capitals are a must is less than sure; that another certificate's does not count is.
        let sure = |mine: &[String]| small.verify("example.marram.fieldlog", mine).unwrap_err().confidence();
        assert_eq!(sure(&[]), Confidence::Medium);
        assert_eq!(sure(std::slice::from_ref(&good)), Confidence::Medium);
        assert_eq!(sure(&[vec!["CD"; 32].join(":")]), Confidence::High);
    }

    #[test]
    fn the_form_is_strict() {
        assert!(AssetLinks::parse("{}").unwrap_err().contains("must be an array"));
        assert!(AssetLinks::parse("\u{FEFF}[]").unwrap_err().contains("byte order mark"));
        assert!(AssetLinks::parse("[{}]").unwrap_err().contains("\"relation\""));
        assert!(AssetLinks::parse("[1,]").unwrap_err().contains("not JSON"));
        assert!(AssetLinks::parse(&"[".repeat(100_000)).is_err());
    }
}
