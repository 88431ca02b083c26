//! Files of services that name the app that they are for.

use crate::Platform;
use crate::table::rows;

/// A file of a service.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ServiceFile {
    /// Where it belongs to.
    pub platform: Platform,
    /// The path from the app's module on Android, from the folder of the project on iOS; `*` stands for the folder of the target.
    pub path: &'static str,
    /// Where in it the app's id stands: `/client/package_name`.
    pub id_at: &'static str,
}

/// Goes through the files that are known.
pub fn service_files() -> impl Iterator<Item = ServiceFile> {
    rows(include_str!("../data/service-files.tsv")).map(|row| ServiceFile {
        platform: if row.cell(0) == Platform::Ios.id() { Platform::Ios } else { Platform::Android },
        path: row.cell(1),
        id_at: row.cell(2),
    })
}
