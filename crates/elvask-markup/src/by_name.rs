//! Looking things of a list up by name, without a walk through the list each time.

use std::sync::OnceLock;

/// The order of a list by name, made when the first name is asked for. It goes with one list that does not change.
#[derive(Debug, Clone, Default)]
pub struct ByName {
    order: OnceLock<Vec<u32>>,
}

impl ByName {
    /// Returns the first item of a name, in the order of the list. `name_of` must say the same of an item each time.
    pub fn first<'i, T>(&self, items: &'i [T], name_of: impl Fn(&'i T) -> &'i str, name: &str) -> Option<&'i T> {
        let name_at = |at: &u32| items.get(*at as usize).map_or("", &name_of);
        let order = self.order.get_or_init(|| {
            let mut order: Vec<u32> = (0..u32::try_from(items.len()).unwrap_or(u32::MAX)).collect();
            // A stable sort: items of one name stay in the order of the list.
            order.sort_by(|one, other| name_at(one).cmp(name_at(other)));
            order
        });
        let at = order.get(order.partition_point(|at| name_at(at) < name))?;
        items.get(*at as usize).filter(|item| name_of(item) == name)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_of_a_name_is_found() {
        let list = [("tern", 1), ("plover", 2), ("tern", 3), ("", 4)];
        let by_name = ByName::default();
        let found = |name: &str| by_name.first(&list, |(known, _)| known, name).map(|(_, at)| *at);
        assert_eq!(["tern", "plover", "", "knot", "zz"].map(found), [Some(1), Some(2), Some(4), None, None]);
        assert_eq!(ByName::default().first(&[] as &[&str], |name| name, "tern"), None);
    }
}
