//! Edits of XML documents, compared byte for byte.

use elvask_markup::xml::plan::{self, Fragment, Slot};
use elvask_markup::xml::{Document, Element};
use elvask_markup::{Edit, EditSet};

fn apply(text: &str, edits: &[Edit]) -> String {
    let mut set = EditSet::new();
    set.add(edits).unwrap();
    set.apply(text).unwrap()
}

fn permission(name: &str) -> Fragment {
    Fragment::new("uses-permission").with("a:name", name)
}

fn first<'d>(document: &'d Document, name: &str) -> Element<'d> {
    document.elements().find(|element| element.name() == name).unwrap()
}

/// Inserts after the last `p`, reads the result, takes the new element out again and wants the first text back.
#[track_caller]
fn insert_after(before: &str, fragment: &Fragment, after: &str) {
    let document = Document::parse(before).unwrap();
    let last = document.root().children().rfind(|child| child.name() == fragment.name);
    let slot = last.map_or(Slot::Last, |last| Slot::After(last.node()));
    let written = apply(before, &plan::insert(document.root(), slot, std::slice::from_ref(fragment)));
    assert_eq!(written, after);
    let read = Document::parse(written.as_str()).unwrap();
    let new = read.root().children().rfind(|child| child.name() == fragment.name).unwrap();
    assert_eq!(apply(&written, &[plan::remove(new.node())]), before, "taking it out again");
}

#[test]
fn new_elements_follow_their_neighbours() {
    let p = Fragment::new("p").with("n", "2");
    for (before, after) in [
        ("<m>\n  <p n=\"1\"/>\n</m>\n", "<m>\n  <p n=\"1\"/>\n  <p n=\"2\"/>\n</m>\n"),
        ("<m>\r\n\t<p n='1' />\r\n</m>", "<m>\r\n\t<p n='1' />\r\n\t<p n='2' />\r\n</m>"),
        ("<m>\n    <p n=\"1\"></p>\n</m>", "<m>\n    <p n=\"1\"></p>\n    <p n=\"2\"></p>\n</m>"),
        ("<m><p n=\"1\"/><q/></m>", "<m><p n=\"1\"/><p n=\"2\"/><q/></m>"),
        (
            "\u{FEFF}<m>\n <p n=\"1\"/> <!-- one -->\n <q/></m>",
            "\u{FEFF}<m>\n <p n=\"1\"/> <!-- one -->\n <p n=\"2\"/>\n <q/></m>",
        ),
        ("<m>\n  <p\n      n=\"1\" />\n</m>", "<m>\n  <p\n      n=\"1\" />\n  <p\n      n=\"2\" />\n</m>"),
    ] {
        insert_after(before, &p, after);
    }
}

#[test]
fn attributes_go_on_lines_of_their_own_where_the_neighbours_do_so() {
    let before = "<m>\n  <x a=\"1\"\n     b=\"2\" />\n</m>\n";
    let after = "<m>\n  <x a=\"1\"\n     b=\"2\" />\n  <x a=\"3\"\n     b=\"4\" />\n</m>\n";
    insert_after(before, &Fragment::new("x").with("a", "3").with("b", "4"), after);
    let document = Document::parse(before).unwrap();
    let edit = plan::set_attribute(first(&document, "x"), "c", "<\"é\">");
    assert_eq!(apply(before, &[edit]), "<m>\n  <x a=\"1\"\n     b=\"2\"\n     c=\"&lt;&quot;é&quot;>\" />\n</m>\n");
}

#[test]
fn an_empty_element_opens_up() {
    let child = Fragment::new("c").with("n", "1");
    for (before, after) in [
        ("<m>\n  <e/>\n</m>", "<m>\n  <e>\n    <c n=\"1\"/>\n  </e>\n</m>"),
        ("<m>\n  <e />\n</m>", "<m>\n  <e>\n    <c n=\"1\" />\n  </e>\n</m>"),
        ("<m>\n  <e></e>\n</m>", "<m>\n  <e>\n    <c n=\"1\" />\n  </e>\n</m>"),
        ("<m>\n  <e>\n  </e>\n</m>", "<m>\n  <e>\n    <c n=\"1\" />\n  </e>\n</m>"),
        ("<m><e/></m>", "<m><e><c n=\"1\"/></e></m>"),
    ] {
        let document = Document::parse(before).unwrap();
        let edits = plan::insert(first(&document, "e"), Slot::Last, std::slice::from_ref(&child));
        assert_eq!(apply(before, &edits), after);
        let again = plan::insert(first(&document, "e"), Slot::Last, &[permission("x")]);
        let mut set = EditSet::new();
        set.add(&edits).unwrap();
        assert!(set.add(&again).is_err(), "two first children cannot be written at once");
    }
}

#[test]
fn nested_content_is_indented_in_the_documents_unit() {
    let before = "<m>\n\t<a/>\n</m>\n";
    let document = Document::parse(before).unwrap();
    let intent = Fragment::new("intent").holding(vec![Fragment::new("action").with("n", "V")]);
    let block = Fragment::new("queries").holding(vec![intent]);
    let written = apply(before, &plan::insert(document.root(), Slot::Last, &[block]));
    let block = "\t<queries>\n\t\t<intent>\n\t\t\t<action n=\"V\"/>\n\t\t</intent>\n\t</queries>\n";
    assert_eq!(written, format!("<m>\n\t<a/>\n{block}</m>\n"));
}

#[test]
fn a_moved_element_keeps_its_text_and_takes_the_new_indentation() {
    let before = "<m>\n  <p n='0'/>\n  <app>\n      <p n='1'\n         k='2'/>\n      <s/>\n  </app>\n</m>";
    let document = Document::parse(before).unwrap();
    let moved = first(&document, "app").child("p").unwrap();
    let beside = document.root().child("p").unwrap().node();
    let edits = plan::move_into(moved, document.root(), Slot::After(beside));
    assert_eq!(
        apply(before, &edits),
        "<m>\n  <p n='0'/>\n  <p n='1'\n     k='2'/>\n  <app>\n      <s/>\n  </app>\n</m>"
    );
}

#[test]
fn a_moved_element_takes_the_prefixes_along_that_its_new_place_lacks() {
    let before = "<m>\n  <app xmlns:a=\"urn:a\">\n    <!-- why -->\n    <p a:n='1'><q a:k='2'/></p>\n  </app>\n</m>";
    let document = Document::parse(before).unwrap();
    let moved = first(&document, "app").child("p").unwrap();
    let written = apply(before, &plan::move_into(moved, document.root(), Slot::Last));
    assert!(written.contains("  <!-- why -->\n  <p xmlns:a=\"urn:a\" a:n='1'><q a:k='2'/></p>\n</m>"), "{written}");
    let read = Document::parse(written.as_str()).unwrap();
    assert_eq!(first(&read, "q").value("urn:a", "k").as_deref(), Some("2"));
}

#[test]
fn taking_out_leaves_no_blank_line_and_no_neighbour_changed() {
    for (before, after) in [
        ("<m>\n  <x/>\n  <y/>\n</m>", "<m>\n  <y/>\n</m>"),
        ("<m>\r\n  <x/>  \r\n  <y/>\r\n</m>", "<m>\r\n  <y/>\r\n</m>"),
        ("<m>\n  <x/> <!-- why -->\n</m>", "<m>\n  <!-- why -->\n</m>"),
        ("<m>\n  <y/><x/>\n</m>", "<m>\n  <y/>\n</m>"),
        ("<m><x/><y/></m>", "<m><y/></m>"),
    ] {
        let document = Document::parse(before).unwrap();
        assert_eq!(apply(before, &[plan::remove(first(&document, "x").node())]), after);
    }
}

#[test]
fn text_is_escaped_and_ascii_where_the_declaration_wants_it() {
    let before = "<?xml version=\"1.0\" encoding=\"US-ASCII\"?><m><s/></m>";
    let document = Document::parse(before).unwrap();
    let written = apply(before, &[plan::set_text(first(&document, "s"), "R&D é")]);
    assert!(written.ends_with("<m><s>R&amp;D &#233;</s></m>"), "{written}");
}
