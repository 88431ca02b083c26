//! The rules: one file each, listed once in [`RULES`].
//!
//! To add one: write its file beside the others, with its `About`, its check and its tests, name it in the `mod.rs`-less
//! module of its platform and in the list below. Everything else (`explain`, `docs/rules/`, the ids that a waiver may name)
//! is computed from the list.

pub mod android;
pub mod both;
pub mod ios;
mod support;

use elvask_platform::Platform;
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding};
use crate::needs::Settings;
use crate::waivers::Comment;

/// A rule.
pub trait Rule: Sync {
    /// Returns what there is to know about it.
    fn about(&self) -> &'static About;

    /// Says whether it looks at the app in a run with these settings. Most rules always do.
    fn is_asked(&self, _settings: &Settings) -> bool {
        true
    }

    /// Looks at an app as its platforms see it and adds what it finds.
    fn check(&self, _context: &Context<'_>, _out: &mut Vec<Finding>) {}

    /// Looks at one manifest of the app as it is written and adds what it finds. The finding then holds for the variants that
    /// the manifest goes into.
    fn check_manifest(&self, _context: &Context<'_>, _manifest: &ManifestView<'_>, _out: &mut Vec<Finding>) {}

    /// Looks at what the other rules found, and at the comments that accept some of it, and adds what it finds; most rules have nothing to say here.
    fn review(&self, _context: &Context<'_>, _findings: &[Finding], _comments: &[Comment], _out: &mut Vec<Finding>) {}
}

/// All rules, in the order of the documentation.
pub static RULES: &[&dyn Rule] = &[
    &android::merge_conflict::MergeConflict,
    &android::permission_missing::PermissionMissing,
    &android::permission_misplaced::PermissionMisplaced,
    &android::permission_duplicate::PermissionDuplicate,
    &android::permission_unknown::PermissionUnknown,
    &android::permission_superseded::PermissionSuperseded,
    &android::permission_level_cap::PermissionLevelCap,
    &android::permission_wider::PermissionWider,
    &android::permission_not_grantable::PermissionNotGrantable,
    &android::permission_stripped::PermissionStripped,
    &android::permission_companion::PermissionCompanion,
    &android::permission_store_review::PermissionStoreReview,
    &android::permission_brought::PermissionBrought,
    &android::query_missing::QueryMissing,
    &android::query_misplaced::QueryMisplaced,
    &android::query_form::QueryForm,
    &android::query_broad::QueryBroad,
    &android::meta_data_missing::MetaDataMissing,
    &android::meta_data_misplaced::MetaDataMisplaced,
    &android::component_attribute::ComponentAttribute,
    &android::component_missing::ComponentMissing,
    &android::component_misplaced::ComponentMisplaced,
    &android::component_permission::ComponentPermission,
    &android::provider_form::ProviderForm,
    &android::attribute_idle::AttributeIdle,
    &android::filter_missing::FilterMissing,
    &android::filter_incomplete::FilterIncomplete,
    &android::filter_mixed_data::FilterMixedData,
    &android::filter_form::FilterForm,
    &android::filter_overlap::FilterOverlap,
    &android::filter_autoverify::FilterAutoverify,
    &android::launch_mode::LaunchModeStandard,
    &android::exported_unstated::ExportedUnstated,
    &android::exported_closed::ExportedClosed,
    &android::feature_missing::FeatureMissing,
    &android::feature_filters_devices::FeatureFiltersDevices,
    &android::service_type_missing::ServiceTypeMissing,
    &android::service_type_boot::ServiceTypeBoot,
    &android::receiver_permission_missing::ReceiverPermissionMissing,
    &android::receiver_broadcast_unsent::ReceiverBroadcastUnsent,
    &android::level_too_low::LevelTooLow,
    &android::target_level_old::TargetLevelOld,
    &android::gradle_missing::GradleMissing,
    &android::debuggable_release::DebuggableRelease,
    &android::test_only_release::TestOnlyRelease,
    &android::release_debug_signed::ReleaseDebugSigned,
    &android::fingerprint_unregistered::FingerprintUnregistered,
    &android::resource_missing::ResourceMissing,
    &ios::purpose_missing::PurposeMissing,
    &ios::purpose_empty::PurposeEmpty,
    &ios::purpose_placeholder::PurposePlaceholder,
    &ios::purpose_vague::PurposeVague,
    &ios::purpose_untranslated::PurposeUntranslated,
    &ios::purpose_unknown::PurposeUnknown,
    &ios::purpose_superseded::PurposeSuperseded,
    &ios::plist_missing::PlistMissing,
    &ios::plist_type::PlistType,
    &ios::plist_duplicate::PlistDuplicate,
    &ios::plist_value::PlistValue,
    &ios::plist_companion::PlistCompanion,
    &ios::query_scheme_missing::QuerySchemeMissing,
    &ios::query_scheme_form::QuerySchemeForm,
    &ios::query_scheme_excess::QuerySchemeExcess,
    &ios::url_scheme_missing::UrlSchemeMissing,
    &ios::url_scheme_form::UrlSchemeForm,
    &ios::url_scheme_reserved::UrlSchemeReserved,
    &ios::background_mode_missing::BackgroundModeMissing,
    &ios::background_mode_unknown::BackgroundModeUnknown,
    &ios::background_mode_unneeded::BackgroundModeUnneeded,
    &ios::entitlement_missing::EntitlementMissing,
    &ios::entitlement_value::EntitlementValue,
    &ios::entitlement_unwired::EntitlementUnwired,
    &ios::push_development::PushDevelopment,
    &ios::entitlement_differs::EntitlementDiffers,
    &ios::group_unshared::GroupUnshared,
    &ios::entitlement_not_in_profile::EntitlementNotInProfile,
    &ios::entitlement_unregistered::EntitlementUnregistered,
    &ios::profile_unfit::ProfileUnfit,
    &ios::certificate_unfit::CertificateUnfit,
    &ios::product_unregistered::ProductUnregistered,
    &ios::store_file_unnamed::StoreFileUnnamed,
    &ios::domain_missing::DomainMissing,
    &ios::domain_form::DomainForm,
    &ios::domain_developer_mode::DomainDeveloperMode,
    &ios::share_extension_missing::ShareExtensionMissing,
    &ios::share_extension_incomplete::ShareExtensionIncomplete,
    &ios::min_version_too_low::MinVersionTooLow,
    &ios::build_setting::BuildSetting,
    &ios::privacy_reason_missing::PrivacyReasonMissing,
    &ios::privacy_manifest::PrivacyManifest,
    &both::link_local_host::LinkLocalHost,
    &both::link_one_sided::LinkOneSided,
    &both::association_missing::AssociationMissing,
    &both::association_mismatch::AssociationMismatch,
    &both::icon_missing::IconMissing,
    &both::icon_size::IconSize,
    &both::built_differs::BuiltDiffers,
    &both::cleartext_blocked::CleartextBlocked,
    &both::transport_open::TransportOpen,
    &both::preference_value::PreferenceValue,
    &both::access_missing::AccessMissing,
    &both::access_open::AccessOpen,
    &both::file_missing::FileMissing,
    &both::file_mismatch::FileMismatch,
    &both::app_unregistered::AppUnregistered,
    &both::version_not_raised::VersionNotRaised,
    &both::service_id_unregistered::ServiceIdUnregistered,
    &both::app_differs::AppDiffers,
    &both::identity_mismatch::IdentityMismatch,
    &both::identity_case::IdentityCase,
    &both::identity_form::IdentityForm,
    &both::answer_missing::AnswerMissing,
    &both::value_placeholder::ValuePlaceholder,
    &both::value_sample::ValueSample,
    &both::value_form::ValueForm,
    &both::value_differs::ValueDiffers,
    &both::requirement_conflict::RequirementConflict,
    &both::plugin_unsupported::PluginUnsupported,
    &both::declared_unneeded::DeclaredUnneeded,
    &both::sheet_outdated::SheetOutdated,
    &both::sheet_invalid::SheetInvalid,
    &both::config_invalid::ConfigInvalid,
    &both::waiver_stale::WaiverStale,
    &both::file_unreadable::FileUnreadable,
    &both::not_judged::NotJudged,
];

/// Looks a rule up by its id.
#[must_use]
pub fn find(id: &str) -> Option<&'static dyn Rule> {
    RULES.iter().copied().find(|rule| rule.about().id == id)
}

/// Says whether findings of a rule mean that parts of the app could not be judged.
#[must_use]
pub fn is_obstacle(id: &str) -> bool {
    matches!(id, "file-unreadable" | "sheet-invalid" | "config-invalid")
}

/// Plans a merge marker that takes a permission out which only the manifest of a plugin declares.
///
/// # Errors
/// Why that cannot be done, in a sentence.
pub fn strip_permission(
    context: &Context<'_>,
    name: &str,
) -> Result<(elvask_project::source::FileId, Vec<elvask_markup::Edit>), String> {
    support::strip_permission(context, name)
}

/// Returns the page about a rule, in Markdown, as `docs/rules/` holds it and `explain` shows it.
#[must_use]
pub fn page(about: &About) -> String {
    let platform = about.platform.map_or("Android and iOS", Platform::title);
    format!(
        "# {id}\n\n{level} · {platform}\n\n{summary}\n\n## If it stays\n\n{effect}\n\n## Wrong\n\n```\n{wrong}\n```\n\n\
         ## Right\n\n```\n{right}\n```\n\n## Remedy\n\n{remedy}\n\n## Source\n\n{source}\n",
        id = about.id,
        level = about.level.id(),
        summary = about.summary,
        effect = about.effect,
        wrong = about.wrong,
        right = about.right,
        remedy = about.remedy,
        source = about.source,
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_rule_is_described_and_has_a_file_of_its_own() {
        let mut ids: Vec<_> = RULES.iter().map(|rule| rule.about().id).collect();
        for rule in RULES {
            let about = rule.about();
            let file = about.id.replace('-', "_");
            let folder = match about.platform {
                Some(Platform::Android) => "android",
                Some(Platform::Ios) => "ios",
                None => "both",
            };
            let path = format!("{}/src/rules/{folder}/{file}.rs", env!("CARGO_MANIFEST_DIR"));
            assert!(std::path::Path::new(&path).is_file(), "{path}");
            assert!(about.summary.starts_with("Reports ") && about.summary.ends_with('.'), "{}", about.id);
            assert!(about.effect.ends_with('.') && about.remedy.ends_with('.'), "{}", about.id);
            assert!(!about.wrong.is_empty() && !about.right.is_empty() && !about.source.is_empty(), "{}", about.id);
        }
        let listed = ids.len();
        ids.sort_unstable();
        ids.dedup();
        assert_eq!(ids.len(), listed, "an id is declared twice");
    }
}
