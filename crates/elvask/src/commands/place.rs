//! `elvask place`.

use elvask_core::place::{Copied, Fate, Placing, fates, read, require};
use elvask_record::{FORMAT, PieceRecord, PlacingRecord};

use super::apply::{Bounds, Write, changes, file_records, whole_diff, write, wrote};
use super::declare::{plan, said};
use super::sheet::read_notes;
use super::{Done, Outcome, load, settings};
use crate::options::{Format, Place};
use crate::output::{Failure, Output};
use crate::render::clean;
use crate::render::style::{FAINT, GOOD, HEADING, NOTE, WARNING, paint};

pub(crate) fn run(options: &Place, output: &Output) -> Done {
    let (text, name) = read_notes(&options.notes)?;
    let app = load(&options.app.choice, output)?;
    let copied = read(&text);
    if copied.is_empty() {
        return Err(Failure::new(format!("{name}: there is nothing in it to place")));
    }
    let mut settings = settings(false);
    let app = require(&app, &copied).map_err(Failure::new)?;
    super::fill::given(&options.given, &app, &mut settings)?;
    let human = options.app.format == Format::Human;
    let mut placing = Placing::new(app, &settings, &copied);
    let mut fated = fates(&placing, &copied);
    let wanted = |fated: &[Fate]| {
        let mut all = Vec::new();
        for want in fated.iter().flat_map(|fate| if let Fate::Wants(wants) = fate { wants.as_slice() } else { &[] }) {
            if !all.contains(want) {
                all.push(want.clone());
            }
        }
        all
    };
    if human && crate::input::can_ask() && options.write && !wanted(&fated).is_empty() {
        super::fill::ask_for(&wanted(&fated), &placing.app, &mut settings, output);
        placing = Placing::new(placing.app, &settings, &copied);
        fated = fates(&placing, &copied);
    }
    let filled = plan(&placing.app, &placing.settings)?;
    let files = changes(&placing.app, &filled.sources, &filled.changed)?;
    let written = write(
        &files,
        if options.write { Write::Yes } else { Write::No },
        &Bounds::of(&placing.app, &options.given.consents),
        output,
    )?;
    let open = fated.iter().any(|fate| !matches!(fate, Fate::There | Fate::Written(_)));
    if !human {
        let pieces = copied.iter().zip(&fated).map(|(copied, fate)| PieceRecord::of(copied, fate)).collect();
        output.json(&PlacingRecord { format: FORMAT, written, pieces, files: file_records(&files) });
        return Ok(if open { Outcome::Found } else { Outcome::Clean });
    }
    let mut out = String::new();
    for (copied, fate) in copied.iter().zip(&fated) {
        out.push_str(&piece(&name, copied, fate));
    }
    if written {
        out.push_str(&format!("\n{}", wrote(&files)));
    } else if !files.is_empty() {
        let diff = whole_diff(&files, output);
        out.push_str(&format!("\n{}\nNothing is written. With --write it would be.\n", diff.trim_end()));
    }
    output.result(&out);
    Ok(if open { Outcome::Found } else { Outcome::Clean })
}

fn piece(from: &str, copied: &Copied, fate: &Fate) -> String {
    let what = match copied.kind {
        Some(kind) => format!("{} {}", kind.id(), copied.name),
        None => copied.name.clone(),
    };
    let value = copied.value.as_deref().map(|value| format!(" {value}")).unwrap_or_default();
    let at = paint(FAINT, &clean(&format!("{from}:{}", copied.line)));
    let mut out = format!("{}{}  {at}\n", paint(HEADING, &clean(&what)), clean(&value));
    let goes = clean(&copied.r#where).into_owned();
    let line = match fate {
        Fate::There => format!("{} {goes}", paint(NOTE, "there already:")),
        Fate::Written(file) => format!("{} {}: {goes}", paint(GOOD, "goes to"), clean(file)),
        Fate::Wants(wants) => {
            let said: Vec<_> = wants.iter().map(|want| clean(&said(want)).into_owned()).collect();
            format!("{} {}\n    {goes}", paint(WARNING, "waits for"), said.join(", "))
        }
        Fate::ByHand(steps) => format!("{} {}\n    {goes}", paint(WARNING, "by hand:"), clean(steps)),
        Fate::Left => format!("{} {goes}", paint(WARNING, "left:")),
    };
    out.push_str(&format!("  {line}\n"));
    out
}
