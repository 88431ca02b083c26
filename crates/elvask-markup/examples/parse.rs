//! Reads an XML document and says how many elements it has: `cargo run -p elvask-markup --example parse -- FILE`.

use std::process::ExitCode;

use elvask_markup::xml::Document;

fn main() -> ExitCode {
    let Some(path) = std::env::args_os().nth(1) else {
        eprintln!("usage: parse FILE");
        return ExitCode::from(2);
    };
    let read = std::fs::read_to_string(path).map_err(|error| error.to_string());
    match read.and_then(|text| Document::parse(text).map_err(|error| error.to_string())) {
        Ok(document) => {
            println!("{} elements", document.count_of_elements());
            // The process ends, and its memory with it.
            std::mem::forget(document);
            ExitCode::SUCCESS
        }
        Err(message) => {
            eprintln!("{message}");
            ExitCode::from(2)
        }
    }
}
