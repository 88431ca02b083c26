//! What the documentation shows is what the program reads.

use elvask_core::config::Config;
use elvask_needs::sheet::Sheet;

/// Returns the fenced TOML of a page.
fn blocks(page: &str) -> Vec<&str> {
    page.split("```toml\n").skip(1).map(|rest| rest.split("```").next().unwrap()).collect()
}

#[test]
fn the_sheets_that_are_shown_are_read() {
    let pages = [include_str!("../../../docs/sheets.md"), include_str!("../../../README.md")];
    let mut read = 0;
    for block in pages.iter().flat_map(|page| blocks(page)) {
        let text =
            if block.starts_with("sheet") { block.to_owned() } else { format!("sheet = 1\nplugin = \"p\"\n{block}") };
        let (sheet, problems) = Sheet::parse(&text, None);
        assert_eq!(problems, [], "{text}");
        read += sheet.requires.len();
    }
    assert!(read >= 3, "{read} requirements are shown");
}

#[test]
fn the_configuration_that_is_shown_is_read() {
    for block in blocks(include_str!("../../../docs/elvask-toml.md")) {
        let (config, problems) = Config::parse(block);
        assert_eq!(problems, []);
        assert_eq!((config.purposes.len(), config.per_plugin.len(), config.waivers.len()), (2, 2, 1));
    }
}
