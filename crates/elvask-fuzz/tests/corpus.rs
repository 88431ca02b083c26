//! What broke a target once does not break it again, and each target holds for the files that it starts from.

use std::path::Path;

use elvask_fuzz::{Corpus, TARGETS, mutated};
use fastrand::Rng;

fn corpus() -> Corpus {
    Corpus::read(&Path::new(env!("CARGO_MANIFEST_DIR")).join("../.."))
}

#[test]
fn each_target_holds_for_its_corpus() {
    let corpus = corpus();
    for target in &TARGETS {
        for seed in corpus.seeds(target.name, target.seeds) {
            if let Err(wrong) = (target.run)(&corpus, seed) {
                panic!("{}: {wrong}", target.name);
            }
        }
    }
}

#[test]
fn whole_apps_with_some_files_changed_are_filled_and_then_left_alone() {
    let corpus = corpus();
    let apps = TARGETS.iter().find(|target| target.name == "apps").unwrap();
    for number in 0..40_u64 {
        if let Err(wrong) = (apps.run)(&corpus, &number.to_le_bytes()) {
            panic!("{number}: {wrong}");
        }
    }
}

#[test]
fn changing_bytes_is_the_same_for_the_same_number_and_never_endless() {
    for number in 0..200 {
        let make = || mutated(&mut Rng::with_seed(number), b"<a>\n  <b/>\n</a>\n", &[b"other", b""]);
        assert_eq!(make(), make());
        assert!(make().len() <= 1 << 17);
    }
}
