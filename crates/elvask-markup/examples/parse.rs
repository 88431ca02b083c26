//! Reads an XML document and says how many elements it has: `cargo run -p elvask-markup --example parse -- FILE`.

#![expect(clippy::print_stdout, reason = "it is a program of its own")]

use std::error::Error;

use elvask_markup::xml::Document;

fn main() -> Result<(), Box<dyn Error>> {
    let path = std::env::args_os().nth(1).ok_or("which file?")?;
    let document = Document::parse(std::fs::read_to_string(path)?)?;
    println!("{} elements", document.count_of_elements());
    // The process ends, and its memory with it.
    std::mem::forget(document);
    Ok(())
}
