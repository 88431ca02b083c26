//! Android: permissions, how they are granted, what replaces and accompanies them.

use serde::Serialize;

use crate::names::nearest_by_words;
use crate::table::{Row, find_sorted, keys, rows, with_key, with_keys};

/// A permission that the platform declares.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Permission {
    /// The full name.
    pub name: &'static str,
    /// The lowest level that has it.
    pub first_level: u32,
    /// The highest level that has it, where it is gone.
    pub last_level: Option<u32>,
    /// The protection level with its flags, joined by `|`.
    pub protection: &'static str,
    group: &'static str,
}

/// How an app comes by a permission.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Grant {
    /// At install, without a question.
    AtInstall,
    /// By a dialog while the app runs; at install below level 23.
    Prompt,
    /// By the user, on a settings screen of its own.
    SettingsScreen,
    /// Not at all: the system keeps it for itself, for its maker or for the holder of a role.
    Never,
    /// By another app that declares it, in a way that the platform does not tell.
    Unknown,
}

impl Grant {
    /// Returns a short phrase for people.
    #[must_use]
    pub fn title(self) -> &'static str {
        match self {
            Grant::AtInstall => "at install",
            Grant::Prompt => "by a prompt",
            Grant::SettingsScreen => "on a settings screen",
            Grant::Never => "never to such an app",
            Grant::Unknown => "by the app that declares it",
        }
    }
}

impl Permission {
    /// Returns how an app from a store comes by the permission.
    #[must_use]
    pub fn grant(self) -> Grant {
        let flags = || self.protection.split('|');
        match flags().next() {
            Some("normal") => Grant::AtInstall,
            Some("dangerous") => Grant::Prompt,
            _ if flags().any(|flag| flag == "appop") => Grant::SettingsScreen,
            _ => Grant::Never,
        }
    }

    /// Says whether a developer can grant it from a shell, though no user can.
    #[must_use]
    pub fn for_developers(self) -> bool {
        self.protection.split('|').any(|flag| flag == "development")
    }

    /// Returns the group under which the system asks for it, without `android.permission-group.`.
    #[must_use]
    pub fn group(self) -> Option<&'static str> {
        (self.grant() == Grant::Prompt && !self.group.is_empty()).then_some(self.group)
    }
}

/// The largest table by far; most runs want a few rows of it, which are found in its text.
const PERMISSIONS: &str = include_str!("../data/android-permissions.tsv");

impl From<Row> for Permission {
    fn from(row: Row) -> Self {
        Permission {
            name: row.cell(0),
            first_level: row.number(1).unwrap_or(1),
            last_level: row.number(2),
            protection: row.cell(3),
            group: row.cell(4),
        }
    }
}

/// Goes through all permissions of the platform, in the order of their names.
pub fn permissions() -> impl Iterator<Item = Permission> {
    rows(PERMISSIONS).map(Permission::from)
}

/// Looks a permission up by its full name.
#[must_use]
pub fn permission(name: &str) -> Option<Permission> {
    find_sorted(PERMISSIONS, name).map(Permission::from)
}

/// The start of the names of the platform's own permissions.
pub const PERMISSION_PREFIX: &str = "android.permission.";

/// Returns the permission that a misspelt name is meant to be, if one is near enough.
///
/// The last part of the name decides, so that a missing or wrong prefix does not matter.
#[must_use]
pub fn nearest_permission(name: &str) -> Option<Permission> {
    let last = name.rsplit('.').next().unwrap_or(name);
    let short = keys(PERMISSIONS).filter_map(|name| name.strip_prefix(PERMISSION_PREFIX));
    let found = nearest_by_words(last, short, |name| name.split('_').collect())?;
    permission(&format!("{PERMISSION_PREFIX}{found}"))
}

/// A permission that stops doing anything at a level.
#[derive(Debug, Clone)]
pub struct Succession {
    /// The permission's full name.
    pub permission: &'static str,
    /// It holds for apps that target this level or a higher one.
    pub target_from: u32,
    /// The highest level at which the permission still does something.
    pub cap: u32,
    /// What stands in for it; empty where nothing does.
    pub successors: Vec<&'static str>,
    /// What happens, in a sentence.
    pub effect: &'static str,
    /// The permission beside which alone it is so.
    pub beside: Option<&'static str>,
}

/// Returns what is known of a permission that a later level replaces.
#[must_use]
pub fn succession(permission: &str) -> Option<Succession> {
    with_key(include_str!("../data/android-permission-successors.tsv"), permission).next().and_then(|row| {
        Some(Succession {
            permission: row.cell(0),
            target_from: row.number(1)?,
            cap: row.number(2)?,
            successors: row.words(3),
            effect: row.cell(4),
            beside: Some(row.cell(5)).filter(|name| !name.is_empty()),
        })
    })
}

/// A permission that does not work alone.
#[derive(Debug, Clone)]
pub struct Companion {
    /// It holds for apps that target this level or a higher one.
    pub target_from: u32,
    /// One of these must stand beside it.
    pub one_of: Vec<&'static str>,
    /// How bad it is where it does not.
    pub level: crate::Level,
    /// What happens, in a sentence.
    pub effect: &'static str,
    /// The flag of the permission with which it holds not.
    pub unless_flag: Option<&'static str>,
}

/// Says whether a permission is the one of a row, or of the family that ends in `*` there.
fn is_of(written: &str, permission: &str) -> bool {
    written.strip_suffix('*').map_or(written == permission, |start| permission.starts_with(start))
}

/// Returns what hangs on the use that an app makes of a permission, in sentences: its owner can apply it, and no file shows it.
///
/// Sources: "Manifest.permission", "Request runtime permissions" and "Behavior changes" of each release.
pub fn permission_advice(permission: &str) -> impl Iterator<Item = &'static str> {
    with_key(include_str!("../data/android-permission-advice.tsv"), permission).map(|row| row.cell(1))
}

/// Returns what must stand beside a permission.
pub fn companions(permission: &str) -> impl Iterator<Item = Companion> {
    with_keys(include_str!("../data/android-permission-companions.tsv"), move |key| is_of(key, permission)).filter_map(
        |row| {
            Some(Companion {
                target_from: row.number(1)?,
                one_of: row.words(2),
                level: crate::Level::parse(row.cell(3))?,
                effect: row.cell(4),
                unless_flag: Some(row.cell(5)).filter(|flag| !flag.is_empty()),
            })
        },
    )
}

/// Returns the permissions of the app's without which a component does not get what a filter with this action asks for.
pub fn permissions_of_action(action: &str) -> impl Iterator<Item = &'static str> {
    rows(include_str!("../data/android-action-permissions.tsv"))
        .filter(move |row| match row.cell(0).strip_suffix('*') {
            Some(start) => action.starts_with(start),
            None => row.cell(0) == action,
        })
        .flat_map(|row| row.words(1))
}

/// Returns the permissions without one of which the system sends no broadcast of an action to an app; empty where it sends it to any.
#[must_use]
pub fn permissions_to_receive(action: &str) -> Vec<&'static str> {
    with_key(include_str!("../data/android-action-permissions.tsv"), action)
        .find(|row| row.cell(2) == "needed")
        .map(|row| row.words(1))
        .unwrap_or_default()
}

/// A type of foreground services.
#[derive(Debug, Clone)]
pub struct ServiceType {
    /// The word in `android:foregroundServiceType`.
    pub name: &'static str,
    /// The permission of its own that it wants from target level 34, where it wants one.
    pub permission: Option<&'static str>,
    /// The level in which it came.
    pub since: u32,
    /// Permissions of which the app must hold one from target level 34; empty where it must hold none.
    pub one_of: Vec<&'static str>,
    /// What does instead of these, where something does.
    pub or_else: Option<&'static str>,
    /// What the owner must know of it, in a sentence.
    pub limits: Option<&'static str>,
    /// The target level from which on a receiver for the start of the device may not start it.
    pub not_from_boot: Option<u32>,
}

/// Goes through the types of foreground services.
pub fn service_types() -> impl Iterator<Item = ServiceType> {
    let some = |cell: &'static str| Some(cell).filter(|cell| !cell.is_empty());
    rows(include_str!("../data/android-service-types.tsv")).filter_map(move |row| {
        Some(ServiceType {
            name: row.cell(0),
            permission: some(row.cell(1)),
            since: row.number(2)?,
            one_of: row.words(3),
            or_else: some(row.cell(4)),
            limits: some(row.cell(5)),
            not_from_boot: row.number(6),
        })
    })
}

/// Returns the words that an attribute of the manifest takes, where there are few; `|` may stand between several types of foreground services.
///
/// Source: the reference pages of the elements under "App manifest file".
#[must_use]
pub fn attribute_values(attribute: &str) -> Vec<&'static str> {
    if attribute == "foregroundServiceType" {
        return service_types().map(|known| known.name).collect();
    }
    let mut table = with_key(include_str!("../data/android-attribute-values.tsv"), attribute);
    table.next().map(|row| row.words(1)).unwrap_or_default()
}

/// Returns the features of devices that permissions imply, each once.
#[must_use]
pub fn features() -> Vec<&'static str> {
    let mut all: Vec<_> = rows(include_str!("../data/android-implied-features.tsv")).map(|row| row.cell(1)).collect();
    all.sort_unstable();
    all.dedup();
    all
}

/// A feature that a permission makes required of devices.
#[derive(Debug, Clone, Copy)]
pub struct ImpliedFeature {
    /// Its name.
    pub name: &'static str,
    /// Whether tablets commonly lack it.
    pub off_tablets: bool,
    /// Whether TVs commonly lack it.
    pub off_tvs: bool,
}

/// Goes through the features that a permission makes required, in an app with this target level that says nothing of them.
pub fn implied_features(permission: &str, target: u32) -> impl Iterator<Item = ImpliedFeature> {
    with_key(include_str!("../data/android-implied-features.tsv"), permission)
        .filter(move |row| row.number(2).is_none_or(|last| target <= last))
        .map(|row| {
            let lack = row.words(3);
            ImpliedFeature { name: row.cell(1), off_tablets: lack.contains(&"tablet"), off_tvs: lack.contains(&"tv") }
        })
}

/// A component that the system calls, and the permission that must guard it.
#[derive(Debug, Clone, Copy)]
pub struct GuardedComponent {
    /// The element: `service` or `receiver`.
    pub element: &'static str,
    /// The value of its `android:permission`.
    pub permission: &'static str,
    /// What happens without, in a sentence.
    pub effect: &'static str,
}

/// Returns the guard that a component wants by an action in its filter.
#[must_use]
pub fn guard_of(action: &str) -> Option<GuardedComponent> {
    let row = with_key(include_str!("../data/android-component-permissions.tsv"), action).next()?;
    Some(GuardedComponent { element: row.cell(1), permission: row.cell(2), effect: row.cell(4) })
}

/// Returns from which level on a receiver in the manifest does not get a broadcast, and what serves instead.
#[must_use]
pub fn unsent_broadcast(action: &str) -> Option<(u32, &'static str)> {
    let row = with_key(include_str!("../data/android-unsent-broadcasts.tsv"), action).next()?;
    Some((row.number(1)?, row.cell(2)))
}

/// An attribute that does nothing in some apps.
#[derive(Debug, Clone)]
pub struct IdleAttribute {
    /// The element that it is written on.
    pub element: &'static str,
    /// Its name, without prefix.
    pub attribute: &'static str,
    /// When it does nothing: all of these.
    pub when: Vec<Idle>,
    /// What happens, in a sentence.
    pub effect: &'static str,
}

/// One of the conditions under which an attribute does nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Idle {
    /// The app runs from this level on.
    MinLevel(u32),
    /// The app targets at least this level.
    TargetLevel(u32),
    /// The element has another attribute.
    Beside(&'static str),
    /// The element is named otherwise than any of these, with `,` between.
    NotFor(&'static str),
    /// No `<property>` of the element or of the application has this name.
    UnlessProperty(&'static str),
    /// The attribute has one of these values, with `,` between, or holds it between `|`.
    Value(&'static str),
}

impl Idle {
    fn parse(word: &'static str) -> Option<Self> {
        if let Some((name, level)) = word.split_once(">=") {
            let level = level.parse().ok()?;
            return match name {
                "min" => Some(Idle::MinLevel(level)),
                "target" => Some(Idle::TargetLevel(level)),
                _ => None,
            };
        }
        let (name, value) = word.split_once('=')?;
        Some(match name {
            "beside" => Idle::Beside(value),
            "not-for" => Idle::NotFor(value),
            "unless-property" => Idle::UnlessProperty(value),
            "value" => Idle::Value(value),
            _ => return None,
        })
    }
}

/// Goes through the attributes that do nothing in some apps.
pub fn idle_attributes() -> impl Iterator<Item = IdleAttribute> {
    rows(include_str!("../data/android-idle-attributes.tsv")).map(|row| IdleAttribute {
        element: row.cell(0),
        attribute: row.cell(1),
        when: row.words(2).into_iter().filter_map(Idle::parse).collect(),
        effect: row.cell(3),
    })
}

/// Says whether the tools of a layout declare something in every new app: `layout` and `kind` are the words for them.
#[must_use]
pub fn is_in_new_apps(layout: &str, kind: &str, name: &str) -> bool {
    with_key(include_str!("../data/new-app-declarations.tsv"), layout)
        .any(|row| row.cell(1) == kind && row.cell(2) == name)
}

/// Returns what happens where an attribute of the manifest does not have the value that a plugin counts on; `None` where that is not known.
#[must_use]
pub fn effect_of_attribute(attribute: &str) -> Option<&'static str> {
    with_key(include_str!("../data/android-attributes.tsv"), attribute).next().map(|row| row.cell(1))
}

/// Returns what the store wants of an app with this permission.
#[must_use]
pub fn store_review(permission: &str) -> Option<&'static str> {
    with_keys(include_str!("../data/android-store-review.tsv"), |key| is_of(key, permission))
        .next()
        .map(|row| row.cell(1))
}

/// Returns the actions, apart from VIEW, by which an app sees the handlers of a scheme.
#[must_use]
pub fn query_actions(scheme: &str) -> Vec<&'static str> {
    with_key(include_str!("../data/android-query-actions.tsv"), scheme)
        .next()
        .map(|row| row.words(1))
        .unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_table_is_sorted_so_that_look_up_works() {
        assert!(permissions().is_sorted_by(|one, other| one.name < other.name));
        assert!(permissions().all(|known| permission(known.name) == Some(known)));
        let last = permissions().last().map_or("", |known| known.name);
        for unknown in
            ["", "#", "# name", "A", "android.permission.CAMER", "android.permission.CAMERAS", &format!("{last}S")]
        {
            assert_eq!(permission(unknown), None, "{unknown}");
        }
    }

    #[test]
    fn grants_follow_the_protection() {
        let grant = |name: &str| permission(&format!("{PERMISSION_PREFIX}{name}")).unwrap().grant();
        assert_eq!(grant("INTERNET"), Grant::AtInstall);
        assert_eq!(grant("CAMERA"), Grant::Prompt);
        assert_eq!(grant("SYSTEM_ALERT_WINDOW"), Grant::SettingsScreen);
        assert_eq!(grant("REBOOT"), Grant::Never);
    }

    #[test]
    fn misspelt_names_lead_to_the_right_one() {
        let meant = |name| nearest_permission(name).map(|permission| permission.name);
        assert_eq!(meant("android.permission.POST_NOTIFICATION"), Some("android.permission.POST_NOTIFICATIONS"));
        assert_eq!(meant("android.permissions.CAMERA"), Some("android.permission.CAMERA"));
        assert_eq!(meant("RECORD_AUDIO"), Some("android.permission.RECORD_AUDIO"));
        assert_eq!(
            meant("android.permission.ACCESS_COURSE_LOCATION"),
            Some("android.permission.ACCESS_COARSE_LOCATION")
        );
        assert_eq!(meant("android.permission.FLY"), None);
        assert_eq!(meant("android.permission.WRITE_INTERNAL_STORAGE"), None, "another word is another name");
    }

    #[test]
    fn every_condition_is_one_that_is_known() {
        for row in rows(include_str!("../data/android-idle-attributes.tsv")) {
            assert!(row.words(2).into_iter().all(|word| Idle::parse(word).is_some()), "{row:?}");
        }
    }

    #[test]
    fn every_name_in_the_other_tables_is_a_permission() {
        let successors = rows(include_str!("../data/android-permission-successors.tsv"))
            .flat_map(|row| row.words(3).into_iter().chain([row.cell(0)]));
        let companions = rows(include_str!("../data/android-permission-companions.tsv"))
            .flat_map(|row| row.words(2).into_iter().chain([row.cell(0)]))
            .filter(|name| !name.starts_with("action:"));
        // The permissions for single records of health come with a module of the system and not with the framework.
        let of_health = |name: &&str| name.starts_with("android.permission.health.");
        let reviewed = rows(include_str!("../data/android-store-review.tsv")).map(|row| row.cell(0));
        // One comes with the services of the store and not with the platform.
        let reviewed = reviewed.filter(|name| *name != "com.google.android.gms.permission.AD_ID" && !of_health(name));
        let of_actions = rows(include_str!("../data/android-action-permissions.tsv")).flat_map(|row| row.words(1));
        let of_actions = of_actions.filter(|name| name.starts_with(PERMISSION_PREFIX));
        let guards = rows(include_str!("../data/android-component-permissions.tsv")).map(|row| row.cell(2));
        let of_types = service_types().flat_map(|one| one.one_of.into_iter().chain(one.permission));
        let successors = successors.filter(|name| !of_health(name));
        let of_types = of_types.filter(|name| !of_health(name));
        // Features that a permission of long ago implies stay in the table of features.
        let implying = rows(include_str!("../data/android-implied-features.tsv")).map(|row| row.cell(0));
        let of_actions = of_actions.chain(of_types).chain(implying).chain(guards);
        for name in successors.chain(companions).chain(reviewed).chain(of_actions).filter(|name| !name.ends_with('*')) {
            assert!(permission(name).is_some(), "{name}");
        }
    }
}
