//! Rules about both platforms.

pub mod access_missing;
pub mod access_open;
pub mod answer_missing;
pub mod app_unregistered;
pub mod association_mismatch;
pub mod association_missing;
pub mod built_differs;
pub mod cleartext_blocked;
pub mod config_invalid;
mod declared;
pub mod declared_unneeded;
pub mod file_mismatch;
pub mod file_missing;
pub mod file_unreadable;
pub mod icon_missing;
pub mod icon_size;
pub mod identity_case;
pub mod identity_form;
pub mod identity_mismatch;
pub mod link_local_host;
pub mod link_one_sided;
pub mod not_judged;
pub mod plugin_unsupported;
pub mod requirement_conflict;
pub mod service_id_unregistered;
pub mod sheet_invalid;
pub mod sheet_outdated;
pub mod transport_open;
pub mod value_differs;
pub mod value_form;
pub mod value_placeholder;
pub mod value_sample;
pub mod version_not_raised;
pub mod waiver_stale;

use declared::declared_values;
