//! Texts for tests that hold two ways of finding something against each other.

/// Puts texts together of so many parts each, in an order that looks like none and is the same each time.
pub(crate) fn texts<'t>(parts: &'t [&str], between: &'t str) -> impl FnMut(usize) -> String + 't {
    let mut number = 1_u64;
    let mut next = move || {
        number = number.wrapping_mul(0x5851_f42d_4c95_7f2d).wrapping_add(1);
        usize::try_from(number >> 40).unwrap()
    };
    move |count| (0..count).map(|_| parts[next() % parts.len()]).collect::<Vec<_>>().join(between)
}
