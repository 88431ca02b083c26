//! What stands in for the network where the program is built without the feature `https`.

use std::time::Duration;

use elvask_core::account::Fetched;
use elvask_link::association::{Document, Served, Website};

use crate::output::Failure;

/// No website can be asked, so that there is no value of this type.
pub(crate) enum Net {}

impl Net {
    /// Says that no website can be asked.
    pub(crate) fn at(_: Option<&str>, _: Duration) -> Result<Net, Failure> {
        Err(Failure::new("this program is built without HTTPS, so that no website can be asked").hint(
            "--site DIR looks at the folder of the website; the feature `https` of the crate elvask adds the rest",
        ))
    }

    /// Does nothing.
    pub(crate) fn prepare(&self, _: &[String]) {
        match *self {}
    }
}

/// Says that no service can be asked.
pub(crate) fn ask_account(_: &str, _: &str, _: Duration) -> Result<Fetched, Failure> {
    Err(Failure::new("this program is built without HTTPS, so that no service can be asked")
        .hint("the feature `https` of the crate elvask adds it"))
}

impl Website for Net {
    fn ask(&self, _: &str, _: Document) -> Served {
        match *self {}
    }

    fn ask_root(&self, _: &str) -> Served {
        match *self {}
    }
}
