//! What holds for all documents: nothing is lost, and an edit that is undone leaves no trace.

use elvask_markup::openstep;
use elvask_markup::plist::PropertyList;
use elvask_markup::plist::plan::{self as plist_plan, NewValue};
use elvask_markup::xml::plan::{self, Fragment, Slot};
use elvask_markup::xml::{Document, Node, NodeKind};
use elvask_markup::{Edit, EditSet};
use proptest::prelude::*;

/// How a document is written.
#[derive(Debug, Clone)]
struct Style {
    newline: &'static str,
    unit: &'static str,
    quote: char,
    empty_end: &'static str,
    mark: bool,
    declaration: bool,
    final_newline: bool,
    attributes_on_lines: bool,
}

fn style() -> impl Strategy<Value = Style> {
    let newline = prop_oneof![Just("\n"), Just("\r\n")];
    let unit = prop_oneof![Just("  "), Just("    "), Just("\t"), Just(" ")];
    let empty_end = prop_oneof![Just("/>"), Just(" />")];
    (newline, unit, prop_oneof![Just('"'), Just('\'')], empty_end, any::<[bool; 4]>()).prop_map(
        |(newline, unit, quote, empty_end, [mark, declaration, final_newline, attributes_on_lines])| Style {
            newline,
            unit,
            quote,
            empty_end,
            mark,
            declaration,
            final_newline,
            attributes_on_lines,
        },
    )
}

/// What stands on a line of its own inside an element.
#[derive(Debug, Clone)]
enum Item {
    Element { name: &'static str, attributes: Vec<String>, items: Vec<Item> },
    Comment(&'static str),
    CData,
    Instruction,
    Blank,
}

fn item() -> impl Strategy<Value = Item> {
    let name = prop_oneof![Just("uses-permission"), Just("application"), Just("intent"), Just("a:b")];
    let value = "[ -~é–]{0,12}";
    let leaf = prop_oneof![
        (name.clone(), prop::collection::vec(value, 0..3)).prop_map(|(name, attributes)| Item::Element {
            name,
            attributes,
            items: Vec::new()
        }),
        prop_oneof![Just(" one line "), Just(" two\n   lines "), Just("é <tag> & more")].prop_map(Item::Comment),
        Just(Item::CData),
        Just(Item::Instruction),
        Just(Item::Blank),
    ];
    leaf.prop_recursive(3, 24, 5, move |inner| {
        (name.clone(), prop::collection::vec(value, 0..3), prop::collection::vec(inner, 1..5))
            .prop_map(|(name, attributes, items)| Item::Element { name, attributes, items })
    })
}

fn write(style: &Style, items: &[Item], depth: usize, out: &mut String) {
    let indent = style.unit.repeat(depth);
    for item in items {
        out.push_str(style.newline);
        if !matches!(item, Item::Blank) {
            out.push_str(&indent);
        }
        match item {
            Item::Blank => {}
            Item::Comment(text) => out.push_str(&format!("<!--{}-->", text.replace('\n', style.newline))),
            Item::CData => out.push_str("<![CDATA[ <&]] ]]>"),
            Item::Instruction => out.push_str("<?tool do=\"it\"?>"),
            Item::Element { name, attributes, items } => {
                out.push_str(&format!("<{name}"));
                for (at, value) in attributes.iter().enumerate() {
                    let gap = if style.attributes_on_lines {
                        format!("{}{indent}{}", style.newline, style.unit)
                    } else {
                        " ".to_owned()
                    };
                    let value = value.replace('&', "&amp;").replace('<', "&#60;").replace(style.quote, "&#x27;");
                    out.push_str(&format!("{gap}a:n{at}={}{value}{}", style.quote, style.quote));
                }
                if items.iter().all(|item| matches!(item, Item::Blank)) {
                    out.push_str(style.empty_end);
                } else {
                    out.push('>');
                    write(style, items, depth + 1, out);
                    out.push_str(&format!("{}{indent}</{name}>", style.newline));
                }
            }
        }
    }
}

fn document() -> impl Strategy<Value = String> {
    (style(), prop::collection::vec(item(), 1..6)).prop_map(|(style, items)| {
        let mut out = String::new();
        if style.mark {
            out.push('\u{FEFF}');
        }
        if style.declaration {
            out.push_str(&format!("<?xml version=\"1.0\" encoding=\"utf-8\"?>{}", style.newline));
        }
        out.push_str(&format!("<m xmlns:a={0}urn:a{0}>", style.quote));
        // Something that is not a blank line comes first, so that the element is not empty.
        write(&style, &[Item::Comment(" first ")], 1, &mut out);
        write(&style, &items, 1, &mut out);
        out.push_str(&format!("{}</m>", style.newline));
        if style.final_newline {
            out.push_str(style.newline);
        }
        out
    })
}

fn apply(text: &str, edits: &[Edit]) -> String {
    let mut set = EditSet::new();
    set.add(edits).unwrap();
    set.apply(text).unwrap()
}

/// Puts a document together again from the spans of its parts.
fn rebuild(text: &str, node: Node<'_>, out: &mut String) {
    match node.element() {
        Some(element) => {
            out.push_str(element.open().of(text));
            node.children().for_each(|child| rebuild(text, child, out));
            out.push_str(element.close().map_or("", |close| close.of(text)));
        }
        None if node.kind() == NodeKind::Document => node.children().for_each(|child| rebuild(text, child, out)),
        None => out.push_str(node.source()),
    }
}

fn find_new<'d>(document: &'d Document, value: &str) -> Option<elvask_markup::xml::Element<'d>> {
    document.elements().find(|element| element.value("urn:a", "new").is_some_and(|found| found == value))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn the_parts_of_a_document_are_the_document(text in document()) {
        let document = Document::parse(text.as_str()).unwrap();
        let mut rebuilt = String::new();
        if text.starts_with('\u{FEFF}') {
            rebuilt.push('\u{FEFF}');
        }
        rebuild(&text, document.document(), &mut rebuilt);
        prop_assert_eq!(&rebuilt, &text);
        prop_assert_eq!(EditSet::new().apply(&text).unwrap(), text);
    }

    #[test]
    fn an_inserted_element_is_there_and_leaves_no_trace(
        text in document(),
        value in "[ -~é\u{1F426}]{0,12}",
        pick in any::<prop::sample::Index>(),
        nested in any::<bool>(),
    ) {
        let document = Document::parse(text.as_str()).unwrap();
        let mut new = Fragment::new("queries").with("a:new", value.as_str());
        if nested {
            new = new.holding(vec![Fragment::new("intent").with("a:k", "v").with("a:l", "w")]);
        }
        // Any child that has something inside can take another one, at any place.
        let holders: Vec<_> = document.elements().filter(|element| element.children().next().is_some() || *element == document.root()).collect();
        let holder = holders[pick.index(holders.len())];
        let mut slots = vec![Slot::First, Slot::Last];
        slots.extend(holder.node().children().filter(|node| !node.is_blank()).map(Slot::After));
        for slot in slots {
            let written = apply(&text, &plan::insert(holder, slot, std::slice::from_ref(&new)));
            let read = Document::parse(written.as_str()).unwrap();
            let found = find_new(&read, &value).expect("the element is there");
            prop_assert_eq!(found.parent().unwrap().name(), holder.name());
            let lone_return = written.replace("\r\n", "\n").contains('\r');
            prop_assert!(!lone_return, "line ends are mixed up");
            if text.contains("\r\n") {
                prop_assert_eq!(written.matches('\n').count(), written.matches("\r\n").count());
            }
            prop_assert_eq!(apply(&written, &[plan::remove(found.node())]), text.as_str(), "{:?}", slot);
        }
    }

    #[test]
    fn an_attribute_is_set_and_taken_out_again(text in document(), value in "[ -~é\n]{0,12}", pick in any::<prop::sample::Index>()) {
        let document = Document::parse(text.as_str()).unwrap();
        let all: Vec<_> = document.elements().collect();
        let element = all[pick.index(all.len())];
        let at = element.open().start;
        let written = apply(&text, &[plan::set_attribute(element, "a:new", &value)]);
        let read = Document::parse(written.as_str()).unwrap();
        let changed = read.elements().find(|element| element.open().start == at).unwrap();
        prop_assert_eq!(changed.value("urn:a", "new").unwrap(), value.as_str());
        let attribute = changed.attribute("urn:a", "new").unwrap();
        prop_assert_eq!(apply(&written, &[plan::remove_attribute(changed, attribute)]), text.as_str());
    }

    #[test]
    fn an_entry_of_a_list_is_there_and_leaves_no_trace(
        style in style(),
        keys in prop::collection::hash_set("[A-Za-z]{1,8}", 1..8),
        text in "[ -~é\n]{0,16}",
        pick in any::<prop::sample::Index>(),
    ) {
        let (newline, unit) = (style.newline, style.unit);
        let keys: Vec<_> = keys.into_iter().collect();
        let entries: String = keys.iter().enumerate().map(|(at, key)| {
            let value = match at % 4 {
                0 => "<true/>".to_owned(),
                1 => format!("<string>{at} &amp; more</string>"),
                2 => format!("<array>{newline}{unit}{unit}<string>x</string>{newline}{unit}</array>"),
                _ => "<integer>7</integer>".to_owned(),
            };
            format!("{unit}<key>{key}</key>{newline}{unit}{value}{newline}")
        }).collect();
        let mark = if style.mark { "\u{FEFF}" } else { "" };
        let list_text = format!("{mark}<plist version=\"1.0\">{newline}<dict>{newline}{entries}</dict>{newline}</plist>{}", if style.final_newline { newline } else { "" });
        let list = PropertyList::parse(list_text.as_str()).unwrap();
        let neighbour = &list.entries()[pick.index(keys.len())];
        let new = NewValue::Dict(vec![
            ("text".to_owned(), NewValue::String(text.clone())),
            ("list".to_owned(), NewValue::Array(vec![NewValue::Bool(true), NewValue::Integer(-3)])),
        ]);
        let written = apply(&list_text, &plist_plan::insert_entry(&list, list.root(), Some(neighbour), "New-Key", &new));
        let read = PropertyList::parse(written.as_str()).unwrap();
        let entry = read.entry("New-Key").expect("the entry is there");
        prop_assert_eq!(entry.value.as_dict().unwrap()[0].value.as_str().unwrap(), text.as_str());
        let place = read.entries().iter().position(|entry| entry.key == "New-Key").unwrap();
        prop_assert_eq!(&read.entries()[place - 1].key_span, &neighbour.key_span);
        prop_assert_eq!(apply(&written, &[plist_plan::remove_entry(&read, entry)]), list_text.as_str());
        if let Some(array) = read.entries().iter().find(|entry| entry.value.as_array().is_some_and(|values| !values.is_empty())) {
            let grown = apply(&written, &plist_plan::append(&read, &array.value, &[NewValue::String(text.clone())]));
            let again = PropertyList::parse(grown.as_str()).unwrap();
            let values = again.entry(&array.key).unwrap().value.as_array().unwrap();
            prop_assert_eq!(values.last().unwrap().as_str().unwrap(), text.as_str());
            prop_assert_eq!(apply(&grown, &[plist_plan::remove_value(&again, values.last().unwrap())]), written.as_str());
        }
    }

    #[test]
    fn no_text_makes_a_reader_fall_over(text in "[<>/a:=\"'&;!\\-\\[\\]CDATA?x\r\n é]{0,60}") {
        let _ = Document::parse(text.as_str());
        let _ = PropertyList::parse(text.as_str());
        let _ = elvask_markup::openstep::parse(&text);
        let _ = elvask_markup::gradle::parse(&text, elvask_markup::gradle::Language::Kotlin);
    }

    #[test]
    fn a_project_file_is_stepped_through_as_it_is_read(body in project_value(), noise in "[{}()=;,\"'\\\\/* \nab]{0,30}") {
        let text = format!("{{objects={{A={body};'B b'={{}};A={noise};}};root=A;}}");
        step_as_read(&text)?;
        step_as_read(&format!("{{objects={{A={body};}};}}"))?;
    }
}

/// A value of a project file as people and tools write it, comments and quotes included.
fn project_value() -> impl Strategy<Value = String> {
    let space = prop_oneof![Just(""), Just(" "), Just("\n\t\t"), Just("/* a; } */"), Just(" // b = (\n")];
    let word = prop_oneof![
        "[A-Za-z0-9_$+/:.<>@-]{1,30}".prop_filter("a comment", |word| !word.starts_with("//")),
        "\"[a-z {}();=/*'é]{0,12}\"",
        Just("\"a \\\" b\"".to_owned()),
        Just("'c \" d'".to_owned()),
    ];
    let leaf =
        (space.clone(), word.clone(), space.clone()).prop_map(|(before, word, after)| format!("{before}{word}{after}"));
    leaf.prop_recursive(4, 24, 5, move |inner| {
        let list = (prop::collection::vec(inner.clone(), 0..5), any::<bool>()).prop_map(|(values, comma)| {
            format!("({}{})", values.join(","), if comma && !values.is_empty() { "," } else { "" })
        });
        let entry =
            (space.clone(), word.clone(), inner).prop_map(|(before, key, value)| format!("{before}{key} ={value};"));
        let dict = (prop::collection::vec(entry, 0..5), space.clone())
            .prop_map(|(entries, end)| format!("{{{}{end}}}", entries.concat()));
        prop_oneof![list, dict]
    })
}

/// Fails unless stepping through a project file finds what reading it finds, the first fault included.
fn step_as_read(text: &str) -> Result<(), TestCaseError> {
    let (whole, found) = match (openstep::parse(text), openstep::parse_objects(text)) {
        (Ok(whole), Ok(found)) => (whole, found),
        (whole, found) => {
            prop_assert_eq!(whole.err(), found.err(), "{}", text);
            return Ok(());
        }
    };
    let objects = whole.get("objects").and_then(|objects| objects.as_dict()).unwrap_or_default();
    prop_assert_eq!(objects.len(), found.objects.len());
    for ((id, value), object) in objects.iter().zip(&found.objects) {
        prop_assert_eq!((id.span, value.span), (object.id, object.body));
        let read = openstep::parse_at(text, object.body);
        prop_assert_eq!(read.as_ref(), Some(value));
        let entries: Vec<_> = openstep::entries(text, object.body).collect();
        let read: Vec<_> =
            value.as_dict().unwrap_or_default().iter().map(|(key, value)| (key.span, value.span)).collect();
        prop_assert_eq!(&entries, &read);
        for (key, _) in value.as_dict().unwrap_or_default() {
            let name = key.as_str().unwrap();
            prop_assert_eq!(
                openstep::entry(text, object.body, name),
                value.get(name).map(|value| value.span),
                "{}",
                name
            );
        }
        let items: Vec<_> = openstep::items(text, object.body).collect();
        let read: Vec<_> = value.as_array().unwrap_or_default().iter().map(|value| value.span).collect();
        prop_assert_eq!(items, read);
    }
    Ok(())
}
