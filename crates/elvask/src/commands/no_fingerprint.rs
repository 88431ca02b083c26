//! What stands in for `elvask fingerprint` where the program is built without the feature `key-stores`.

use super::Done;
use crate::options::link::Fingerprint;
use crate::output::{Failure, Output};

pub(crate) fn run(_: &Fingerprint, _: &Output) -> Done {
    Err(Failure::new("this program is built without key stores, so that no certificate can be read")
        .hint("the feature `key-stores` of the crate elvask adds them"))
}
