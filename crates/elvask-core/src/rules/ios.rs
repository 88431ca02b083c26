//! Rules about iOS.

pub mod background_mode_missing;
pub mod background_mode_unknown;
pub mod build_setting;
pub mod domain_missing;
pub mod entitlement_missing;
pub mod entitlement_value;
pub mod min_version_too_low;
pub mod plist_duplicate;
pub mod plist_missing;
pub mod plist_type;
pub mod plist_value;
pub mod privacy_reason_missing;
pub mod purpose_empty;
pub mod purpose_missing;
pub mod purpose_placeholder;
pub mod purpose_superseded;
pub mod purpose_unknown;
pub mod purpose_untranslated;
pub mod purpose_vague;
pub mod query_scheme_excess;
pub mod query_scheme_form;
pub mod query_scheme_missing;
pub mod url_scheme_missing;
