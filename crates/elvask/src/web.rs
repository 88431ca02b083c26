//! The website as a person names it: a folder, or hosts over the network.

#[cfg(feature = "https")]
#[path = "web/https.rs"]
mod net;
#[cfg(not(feature = "https"))]
#[path = "web/without.rs"]
mod net;

use std::path::PathBuf;
use std::time::Duration;

use elvask_link::association::{Document, Folder, Served, Website};
use elvask_project::files::{Disk, Files as _};
pub(crate) use net::{Net, ask_account};

use crate::output::Failure;

/// A website as a person names it.
pub(crate) enum Site {
    /// A folder.
    Folder(PathBuf, String),
    /// Over the network.
    Net(Net),
}

impl Site {
    /// Reads what stands behind `--site`.
    pub(crate) fn named(name: &str, timeout: Duration) -> Result<Site, Failure> {
        if name.contains("://") {
            return Net::at(Some(name), timeout).map(Site::Net);
        }
        let folder = PathBuf::from(name);
        if !Disk.is_folder(&folder) {
            return Err(Failure::new(format!("{name}: there is no such folder"))
                .hint("name the folder of the website, or an address that starts with https://"));
        }
        Ok(Site::Folder(folder, name.to_owned()))
    }

    /// Returns the hosts that a folder has folders for.
    pub(crate) fn hosts(&self) -> Vec<String> {
        let Site::Folder(folder, _) = self else { return Vec::new() };
        let names = Disk.list(folder).into_iter().map(|(name, _)| name);
        names
            .filter(|name| {
                name.contains('.') && !name.starts_with('.') && Disk.is_folder(&folder.join(name).join(".well-known"))
            })
            .collect()
    }

    /// Asks for all files that will be wanted, several at a time.
    pub(crate) fn prepare(&self, hosts: &[String]) {
        if let Site::Net(net) = self {
            net.prepare(hosts);
        }
    }
}

impl Website for Site {
    fn ask(&self, host: &str, document: Document) -> Served {
        match self {
            Site::Folder(root, shown) => Folder::new(&Disk, root.clone(), shown.clone()).ask(host, document),
            Site::Net(net) => net.ask(host, document),
        }
    }

    fn ask_root(&self, host: &str) -> Served {
        match self {
            Site::Folder(root, shown) => Folder::new(&Disk, root.clone(), shown.clone()).ask_root(host),
            Site::Net(net) => net.ask_root(host),
        }
    }
}
