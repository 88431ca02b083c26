//! What stands in for `elvask account request` where the program is built without the feature `key-stores`.

use crate::commands::Done;
use crate::options::account::AccountRequest;
use crate::output::{Failure, Output};

pub(crate) fn run(_: &AccountRequest, _: &Output) -> Done {
    Err(Failure::new("this program is built without key stores, so that no key can be made")
        .hint("the feature `key-stores` of the crate elvask adds them"))
}
