//! Plugins against declarations.

use serde_json::Value;
use unicode_width::UnicodeWidthStr as _;

use crate::support::App;

fn row<'r>(record: &'r Value, kind: &str, name: &str) -> &'r Value {
    let rows = record["rows"].as_array().unwrap();
    rows.iter().find(|row| row["kind"] == kind && row["name"] == name).unwrap_or(&Value::Null)
}

#[test]
fn each_mark_says_what_both_sides_know() {
    let app = App::demo("npm");
    let record = app.run(&["survey", "--matrix", "--format", "json"]).json();
    let camera = row(&record, "permission", "android.permission.CAMERA");
    assert_eq!((&camera["declared"], &camera["plugins"]["tern_camera"]), (&false.into(), &"lacking".into()));
    let calendar = row(&record, "permission", "android.permission.READ_CALENDAR");
    assert_eq!((&calendar["declared"], &calendar["plugins"]["dunlin_alerts"]), (&true.into(), &"met".into()));
    let misspelt = row(&record, "usage", "NSSpeechRecognitionUsageDescripton");
    assert_eq!((&misspelt["declared"], misspelt["plugins"].as_object().unwrap().len()), (&true.into(), 0));
    let text = app.run(&["survey", "--matrix"]).out;
    let line = |name: &str| text.lines().find(|line| line.trim_start().starts_with(name)).unwrap_or_default();
    assert_eq!(line("CAMERA ").split_whitespace().filter(|cell| *cell == "!").count(), 1, "{text}");
    assert!(line("READ_CALENDAR").contains(" + ") && line("READ_CALENDAR").contains(" x "), "{text}");
    assert!(text.contains("! needs it, not declared"), "{text}");
    assert!(text.contains("Components, Android  4 declared, which no plugin needs"), "{text}");
    assert!(app.run(&["survey", "--matrix", "-v"]).out.contains("LSRequiresIPhoneOS"), "-v folds nothing");
    assert!(!text.contains("LSRequiresIPhoneOS"), "{text}");
}

#[test]
fn it_keeps_to_its_width_whatever_the_names() {
    let app = App::bare();
    let sheet = |name: &str| {
        format!(
            "sheet = 1\nplugin = '{name}'\n[[requires]]\nandroid.permission = 'android.permission.CAMERA'\n[[requires]]\nios.plist = {{ key = '鳥の輪を撮影する許可のとてもとても長い名前の鍵', value = 'x' }}\n"
        )
    };
    let names: Vec<String> = (0..40).map(|at| format!("stint_with_quite_a_long_name_{at:02}")).collect();
    let listed: Vec<String> = names.iter().map(|name| format!("\"{name}\": \"1.0.0\"")).collect();
    app.write("package.json", format!("{{ \"dependencies\": {{ {} }} }}", listed.join(", ")));
    for name in &names {
        app.write(
            &format!("node_modules/{name}/package.json"),
            format!("{{ \"name\": \"{name}\", \"version\": \"1.0.0\" }}"),
        );
        app.write(&format!("elvask/sheets/{name}.toml"), sheet(name));
    }
    for width in [80, 100, 140, 200] {
        let ran = app.run(&["survey", "--matrix", "--width", &width.to_string()]);
        let widest = ran.out.lines().max_by_key(|line| line.width()).unwrap();
        assert!(widest.width() <= width, "{width}: {} {widest}", widest.width());
        let seen = ran.out.lines().filter(|line| line.contains("| st")).count();
        assert!(seen >= 40, "each plugin has its column: {seen}\n{}", ran.out);
    }
    let narrow = app.run(&["survey", "--matrix", "--width", "80"]).out;
    assert!(narrow.contains("Plugins 1 to ") && narrow.contains(" of 40"), "{narrow}");
    let wide = app.run(&["survey", "--matrix", "--width", "200"]).out;
    assert!(!wide.contains("Plugins 1 to "), "all fit");
    let ran = app.run(&["survey", "--matrix", "--width", "7"]);
    assert_eq!(ran.code, 2, "{}", ran.out);
}
