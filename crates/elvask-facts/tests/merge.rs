//! A made-up release, merged into a small table.

use elvask_facts::{MergeError, declared, disagreements, merge_permissions};

const TABLE: &str = "\
# Permissions.
# name\tfirst level\tlast level\tprotection level\tgroup
android.permission.CAMERA\t4\t\tdangerous\tCAMERA
android.permission.RING\t30\t\tnormal\t
android.permission.WING\t20\t29\tnormal\t
";

fn dump(permissions: &[(&str, u32)]) -> String {
    let mut out = String::from("N: android=http://schemas.android.com/apk/res/android\n  E: manifest (line=1)\n");
    for (name, bits) in permissions {
        out.push_str(&format!(
            "    E: permission (line=2)\n      A: android:label(0x01010001)=@0x1040584\n      A: android:name(0x01010003)=\"{name}\" (Raw: \"{name}\")\n      A: android:protectionLevel(0x01010009)=(type 0x11)0x{bits:x}\n"
        ));
    }
    // What only groups or uses permissions is none.
    out.push_str("    E: permission-group (line=9)\n      A: android:name(0x01010003)=\"android.permission-group.CAMERA\" (Raw: \"…\")\n");
    out.push_str(
        "    E: uses-permission (line=9)\n      A: android:name(0x01010003)=\"android.permission.SONG\" (Raw: \"…\")\n",
    );
    out
}

#[test]
fn what_is_new_gone_and_protected_otherwise_is_merged() {
    let dump = dump(&[("android.permission.NEST", 0x12), ("android.permission.CAMERA", 0x1001)]);
    let merged = merge_permissions(TABLE, &declared(&dump), 37).unwrap();
    assert_eq!(
        merged.table,
        "\
# Permissions.
# name\tfirst level\tlast level\tprotection level\tgroup
android.permission.CAMERA\t4\t\tdangerous|instant\tCAMERA
android.permission.NEST\t37\t\tsignature|privileged\t
android.permission.RING\t30\t36\tnormal\t
android.permission.WING\t20\t29\tnormal\t
"
    );
    assert_eq!(
        merged.changes,
        [
            "android.permission.CAMERA: dangerous becomes dangerous|instant",
            "android.permission.RING: gone, so its last level is 36",
            "android.permission.NEST: new (signature|privileged)",
        ]
    );
    let again = merge_permissions(&merged.table, &declared(&dump), 37).unwrap();
    assert_eq!((again.table, again.changes.len()), (merged.table, 0), "merging twice is merging once");
}

#[test]
fn a_level_that_is_covered_is_held_against_the_platform() {
    let known = declared(&dump(&[("android.permission.CAMERA", 1), ("android.permission.WING", 0)]));
    assert!(disagreements(TABLE, &known, 29).is_empty());
    assert_eq!(
        disagreements(TABLE, &known, 30),
        [
            "android.permission.RING: at level 30 the platform lacks it, and the table has it",
            "android.permission.WING: at level 30 the platform has it, and the table lacks it",
        ]
    );
    let more = declared(&dump(&[
        ("android.permission.CAMERA", 1),
        ("android.permission.WING", 0),
        ("android.permission.NEST", 0),
    ]));
    assert_eq!(
        disagreements(TABLE, &more, 29),
        ["android.permission.NEST: level 29 has it, and the table does not know it"]
    );
}

#[test]
fn what_is_no_dump_changes_nothing() {
    assert_eq!(merge_permissions(TABLE, &declared("W/ResourceType: no entry"), 37), Err(MergeError::Empty));
    assert_eq!(
        merge_permissions("android.permission.A\tx\n", &declared(&dump(&[("a", 0)])), 37),
        Err(MergeError::Row(1))
    );
}

#[test]
fn the_tables_own_text_comes_back_as_it_is() {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../elvask-platform/data/android-permissions.tsv");
    let table = std::fs::read_to_string(path).unwrap();
    let rows = table.lines().filter(|line| !line.starts_with('#') && !line.is_empty());
    let newest: Vec<_> = rows
        .filter_map(|line| {
            let cells: Vec<&str> = line.split('\t').collect();
            (cells.get(2) == Some(&""))
                .then(|| elvask_facts::Declared { name: cells[0].to_owned(), protection: cells[3].to_owned() })
        })
        .collect();
    let merged = merge_permissions(&table, &newest, 36).unwrap();
    assert_eq!(merged.changes, Vec::<String>::new());
    assert!(merged.table == table, "a release that changes nothing changes no byte");
}
