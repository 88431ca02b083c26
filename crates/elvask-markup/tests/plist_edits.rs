//! Edits of property lists, compared byte for byte.

use elvask_markup::plist::PropertyList;
use elvask_markup::plist::plan::{self, NewValue};
use elvask_markup::{Edit, EditSet};

fn apply(text: &str, edits: &[Edit]) -> String {
    let mut set = EditSet::new();
    set.add(edits).unwrap();
    set.apply(text).unwrap()
}

fn read(text: &str) -> PropertyList {
    PropertyList::parse(text).unwrap()
}

const TABS: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<plist version=\"1.0\">\n<dict>\n\t<key>A</key>\n\t<string>a</string>\n\t<key>B</key>\n\t<array/>\n</dict>\n</plist>\n";

#[test]
fn an_entry_goes_behind_its_neighbour_and_out_again() {
    let list = read(TABS);
    let text = NewValue::String("R & D".to_owned());
    let edits = plan::insert_entry(&list, list.root(), list.entry("A"), "C", &text);
    let written = apply(TABS, &edits);
    assert_eq!(written, TABS.replace("</string>\n", "</string>\n\t<key>C</key>\n\t<string>R &amp; D</string>\n"));
    let again = read(&written);
    assert_eq!(apply(&written, &[plan::remove_entry(&again, again.entry("C").unwrap())]), TABS);
}

#[test]
fn line_ends_and_shared_lines_are_followed() {
    let before = "<plist>\r\n<dict>\r\n  <key>A</key> <true/>\r\n</dict>\r\n</plist>";
    let list = read(before);
    let written = apply(before, &plan::insert_entry(&list, list.root(), None, "B", &NewValue::Bool(false)));
    assert_eq!(written, before.replace("<true/>\r\n", "<true/>\r\n  <key>B</key> <false/>\r\n"));
    let minified = "<plist><dict><key>A</key><true/></dict></plist>";
    let list = read(minified);
    let written = apply(minified, &plan::insert_entry(&list, list.root(), None, "B", &NewValue::Integer(3)));
    assert_eq!(written, "<plist><dict><key>A</key><true/><key>B</key><integer>3</integer></dict></plist>");
}

#[test]
fn arrays_open_up_and_grow() {
    let list = read(TABS);
    let tel = [NewValue::String("tel".to_owned())];
    let written = apply(TABS, &plan::append(&list, &list.entry("B").unwrap().value, &tel));
    assert_eq!(written, TABS.replace("\t<array/>", "\t<array>\n\t\t<string>tel</string>\n\t</array>"));
    let list = read(&written);
    let sms = [NewValue::String("sms".to_owned()), NewValue::String("x".to_owned())];
    let grown = apply(&written, &plan::append(&list, &list.entry("B").unwrap().value, &sms));
    assert_eq!(
        grown,
        written.replace(
            "<string>tel</string>\n",
            "<string>tel</string>\n\t\t<string>sms</string>\n\t\t<string>x</string>\n"
        )
    );
    let list = read(&grown);
    let array = &list.entry("B").unwrap().value;
    let edits = [plan::remove_value(&list, &array.as_array().unwrap()[1])];
    assert_eq!(apply(&grown, &edits), grown.replace("\t\t<string>sms</string>\n", ""));
}

#[test]
fn an_empty_dictionary_takes_its_first_entry() {
    let before = "<plist version=\"1.0\">\n<dict/>\n</plist>\n";
    let list = read(before);
    let nested = NewValue::Dict(vec![("k".to_owned(), NewValue::Array(vec![NewValue::Bool(true)]))]);
    let written = apply(before, &plan::insert_entry(&list, list.root(), None, "A", &nested));
    read(&written);
    assert!(written.starts_with("<plist version=\"1.0\">\n<dict>\n"), "{written}");
    assert!(written.ends_with("</dict>\n</plist>\n"), "{written}");
}

#[test]
fn values_and_keys_are_replaced_in_place() {
    let list = read(TABS);
    let a = list.entry("A").unwrap();
    let edits =
        [plan::rename_key(&list, a, "Z"), plan::replace(&list, &a.value, &NewValue::String("<new>".to_owned()))];
    assert_eq!(apply(TABS, &edits), TABS.replace("<key>A</key>", "<key>Z</key>").replace(">a<", ">&lt;new&gt;<"));
    let edits = [plan::replace(&list, &a.value, &NewValue::Bool(true))];
    assert_eq!(apply(TABS, &edits), TABS.replace("<string>a</string>", "<true/>"));
}
