//! `elvask link files`.

use std::path::{Path, PathBuf};

use elvask_core::app::App;
use elvask_link::AppLinks;
use elvask_link::association::is_plain_host;
use elvask_link::association::{Document, Folder, WriteProblem, looked_up_at};
use elvask_project::files::{Disk, Files as _, shown};
use elvask_project::write::Change;
use elvask_record::{FORMAT, HostRecord, LinkFilesRecord};

use super::{site_folder, with_links};
use crate::commands::apply::{Bounds, FileChange, Write, file_records, whole_diff, write, wrote};
use crate::commands::{Done, Outcome};
use crate::options::Format;
use crate::options::link::LinkFiles;
use crate::output::{Failure, Output};
use crate::render::clean;
use crate::render::style::{FAINT, HEADING, WARNING, paint};

pub(crate) fn run(options: &LinkFiles, output: &Output) -> Done {
    with_links(&options.app.choice, output, |app, _, links| {
        let root = match &options.into {
            Some(folder) => folder.clone(),
            None => site_folder(app).map_err(|failure| {
                failure.hint(
                    "say where they go: elvask link files --into DIR, or `site = \"DIR\"` under [links] in elvask.toml",
                )
            })?,
        };
        let mut hosts = links.hosts();
        hosts.extend(
            app.config().hosts.iter().map(|host| host.text.to_ascii_lowercase()).filter(|host| is_plain_host(host)),
        );
        let mut hosts: Vec<String> = hosts.iter().map(|host| looked_up_at(host).to_owned()).collect();
        hosts.sort();
        hosts.dedup();
        if hosts.is_empty() {
            return Err(Failure::new("the app declares no links of the web")
                .hint("elvask declare link https://marram.example/site/* declares some"));
        }
        let planned = plan(app, links, &root, &hosts)?;
        let human = options.app.format == Format::Human;
        let wanted = match (options.dry_run, human && !options.yes) {
            (true, _) => Write::No,
            (false, true) => Write::Ask,
            (false, false) => Write::Yes,
        };
        let written = write(
            &planned.files,
            wanted,
            &Bounds::of(app, &options.outside.consents).with_named(options.into.as_deref()),
            output,
        )?;
        let outcome = if planned.wanted.is_empty() { Outcome::Clean } else { Outcome::Found };
        if !human {
            output.json(&LinkFilesRecord {
                format: FORMAT,
                written,
                dry_run: options.dry_run,
                files: file_records(&planned.files),
                hosts: planned.hosts,
                wanted: planned.wanted,
                notes: planned.notes,
            });
            return Ok(outcome);
        }
        let mut text = if options.dry_run {
            whole_diff(&planned.files, output)
        } else {
            wrote(if written { &planned.files } else { &[] })
        };
        if planned.files.is_empty() && planned.wanted.is_empty() {
            text.push_str("Both files say already what they must.\n");
        }
        for note in &planned.notes {
            text.push_str(&format!("{} {}\n", paint(FAINT, "note:"), clean(note)));
        }
        if !planned.wanted.is_empty() {
            text.push_str(&format!("{}\n", paint(WARNING, "Still wanted:")));
            planned.wanted.iter().for_each(|want| text.push_str(&format!("  {}\n", clean(want))));
        }
        if !output.quiet {
            text.push_str(&format!("\n{}\n", paint(HEADING, "Left to you: put the folder on the web, so that these addresses answer, with the type application/json and no redirect:")));
            planned.hosts.iter().for_each(|host| text.push_str(&format!("  {}\n", clean(&host.url))));
            text.push_str("Then `elvask link audit` asks them.\n");
        }
        output.result(&text);
        Ok(outcome)
    })
}

struct Planned {
    files: Vec<FileChange>,
    hosts: Vec<HostRecord>,
    wanted: Vec<String>,
    notes: Vec<String>,
}

fn plan(app: &App, links: &AppLinks, root: &Path, hosts: &[String]) -> Result<Planned, Failure> {
    let android = links.first_android();
    let ios = links.ios.as_ref();
    let here = std::env::current_dir().unwrap_or_default();
    let root = elvask_project::files::normal(&here.join(root));
    let folder = Folder::new(&Disk, root.clone(), root.display().to_string());
    let mut planned = Planned { files: Vec::new(), hosts: Vec::new(), wanted: Vec::new(), notes: Vec::new() };
    let mut seen: Vec<PathBuf> = Vec::new();
    for host in hosts {
        for document in Document::ALL {
            if (document == Document::AssetLinks && android.is_none())
                || (document == Document::AppleAssociation && ios.is_none())
            {
                continue;
            }
            let path = folder.of_host(host).join(document.path());
            let name = shown(&path, &here);
            planned.hosts.push(HostRecord {
                host: host.clone(),
                url: format!("https://{host}/{}", document.path()),
                file: name.clone(),
            });
            if seen.contains(&path) {
                continue;
            }
            seen.push(path.clone());
            let before = match Disk.is_file(&path) {
                true => Some(Disk.read(&path).map_err(|error| Failure::new(format!("{name}: {error}")))?),
                false => None,
            };
            let text = match &before {
                Some(bytes) => Some(
                    std::str::from_utf8(bytes).map_err(|_| Failure::new(format!("{name}: the file is not UTF-8")))?,
                ),
                None => None,
            };
            // Several hosts may have one file.
            let sharing: Vec<&String> =
                hosts.iter().filter(|other| folder.of_host(other) == folder.of_host(host)).collect();
            let routes = app.config().links.routes.iter().filter(|route| sharing.iter().any(|host| route.is_for(host)));
            let routes: Vec<_> = routes.cloned().collect();
            match links.plan_file(document, text, &routes) {
                Ok(file) => {
                    planned.notes.extend(file.notes.iter().map(|note| format!("{name}: {note}")));
                    if text != Some(file.text.as_str()) {
                        let change = Change { path, before: before.clone(), after: file.text.as_bytes().to_vec() };
                        planned.files.push(FileChange::new(&name, change, text.unwrap_or_default(), &file.text));
                    }
                }
                // What cannot be read must be mended first: half of a website's files would be worse than none.
                Err(problem @ WriteProblem::Unreadable(_)) => {
                    return Err(Failure::new(format!("{name}: {problem}; nothing is written")));
                }
                Err(problem) => planned.wanted.push(format!("{name}: {problem}")),
            }
        }
    }
    planned.wanted.dedup();
    Ok(planned)
}
