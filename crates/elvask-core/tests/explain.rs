//! What is explained, and by which words it is found.

use elvask_core::Platform;
use elvask_core::explain::{Answer, Topic, capability_lines, explain};
use elvask_platform::capability::capability;

#[test]
fn topics_are_found_or_the_nearest_is_named() {
    let topic = |question: &str| match explain(question) {
        Answer::Topic(topic, _) => Ok(*topic),
        Answer::Nothing(near) => Err(near),
        Answer::Several(topics, seen) => panic!("{question}: {topics:?} {seen:?}"),
    };
    assert!(matches!(topic("permission-missing"), Ok(Topic::Rule(_))));
    assert!(matches!(topic("bluetooth"), Ok(Topic::Capability(_))));
    assert!(matches!(topic("post_notifications"), Ok(Topic::Permission { .. })));
    assert!(matches!(topic("NSCameraUsageDescription"), Ok(Topic::Usage { .. })));
    assert!(matches!(topic("UIBackgroundModes"), Ok(Topic::Key(_))));
    assert_eq!(topic("permision-missing").unwrap_err().as_deref(), Some("permission-missing"));
    assert_eq!(topic("RECORD_AUDO").unwrap_err().as_deref(), Some("android.permission.RECORD_AUDIO"));
    assert_eq!(topic("xyzzy").unwrap_err(), None);
    assert!(matches!(topic("aps-environment"), Ok(Topic::Entitlement { .. })));
    assert!(matches!(topic("remote-notification"), Ok(Topic::BackgroundMode(_))));
    for word in ["launchMode", "<queries>", "android.intent.action.SEND", "BROWSABLE", "AndroidLaunchMode"] {
        assert!(matches!(topic(word), Ok(Topic::Word(_))), "{word}");
    }
    let Ok(Topic::Permission { succession, capabilities, .. }) = topic("BLUETOOTH") else {
        panic!("it is a permission")
    };
    assert_eq!(succession.unwrap().cap, 30);
    assert_eq!(capabilities[0].name, "bluetooth");
    let lines = capability_lines(capability("notifications").unwrap(), Platform::Android);
    assert_eq!(lines, ["permission android.permission.POST_NOTIFICATIONS, for apps that target level 33 or above"]);
}

#[test]
fn a_word_that_is_several_things_is_told_apart_by_its_kind() {
    let Answer::Topic(first, others) = explain("permission") else { panic!("it is two things") };
    let kinds: Vec<_> = others.iter().map(Topic::kind).collect();
    assert_eq!((first.kind(), kinds.as_slice()), ("element", ["attribute"].as_slice()));
    let Answer::Topic(attribute, _) = explain("attribute permission") else { panic!("it is one") };
    assert_eq!(attribute.kind(), "attribute");
    let Answer::Several(found, _) = explain("entitlement push") else { panic!("there are several") };
    assert!(
        found.iter().any(|one| one.name() == "aps-environment") && found.iter().all(|one| one.kind() == "entitlement")
    );
}

#[test]
fn parts_of_names_and_what_is_seen_lead_to_things() {
    let Answer::Several(topics, _) = explain("alarm") else { panic!("there are several") };
    let names: Vec<_> = topics.iter().map(Topic::name).collect();
    assert!(names.contains(&"android.permission.SCHEDULE_EXACT_ALARM") && names.contains(&"exact-alarms"), "{names:?}");
    for (seen, rule) in [
        ("button does nothing", "query-missing"),
        ("the browser opens instead of the app", "association-missing"),
        ("app closes at the first photo", "purpose-missing"),
        ("push never arrives", "entitlement-missing"),
        ("no dialog appears", "permission-companion"),
        ("the link opens a second copy", "launch-mode"),
    ] {
        let Answer::Several(_, symptoms) = explain(seen) else { panic!("{seen}: {:?}", explain(seen)) };
        assert!(symptoms.iter().any(|symptom| symptom.topics.contains(&rule)), "{seen}: {symptoms:?}");
    }
    assert!(matches!(explain("purple monkeys dishwasher"), Answer::Nothing(None)));
}

#[test]
fn whatever_belongs_to_a_word_can_be_explained_itself() {
    let lead = elvask_platform::glossary::words().iter().flat_map(|word| word.related.iter().copied());
    let symptoms = elvask_platform::glossary::symptoms().flat_map(|one| one.topics);
    let unknown: Vec<_> = lead.chain(symptoms).filter(|name| matches!(explain(name), Answer::Nothing(_))).collect();
    assert_eq!(unknown, [""; 0]);
    for word in elvask_platform::glossary::words() {
        assert!(matches!(explain(word.name), Answer::Topic(..)), "{}", word.name);
    }
}
