//! Rules about Android.

pub mod component_attribute;
pub mod component_missing;
pub mod feature_missing;
pub mod filter_missing;
pub mod gradle_missing;
pub mod level_too_low;
pub mod merge_conflict;
pub mod meta_data_misplaced;
pub mod meta_data_missing;
pub mod permission_companion;
pub mod permission_duplicate;
pub mod permission_level_cap;
pub mod permission_misplaced;
pub mod permission_missing;
pub mod permission_not_grantable;
pub mod permission_store_review;
pub mod permission_stripped;
pub mod permission_superseded;
pub mod permission_unknown;
pub mod permission_wider;
pub mod query_broad;
pub mod query_misplaced;
pub mod query_missing;
