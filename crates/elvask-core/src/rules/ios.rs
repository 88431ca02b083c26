//! Rules about iOS.

pub mod plist_duplicate;
pub mod plist_missing;
pub mod plist_type;
pub mod plist_value;
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
