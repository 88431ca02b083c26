//! `elvask link serve`.

use std::io::Read;
use std::sync::Arc;
use std::thread;
use std::time::Duration;

use elvask_core::record::FORMAT;
use elvask_link::association::{Document, Folder, Served, Website as _};
use elvask_project::files::{Disk, Files as _};
use serde::Serialize;
use tiny_http::{Header, Request, Response, Server, StatusCode};

use super::site_folder;
use crate::commands::{Done, Outcome, load_with};
use crate::options::Format;
use crate::options::link::LinkServe;
use crate::output::{Failure, Output};
use crate::render::clean;

/// How long a slow answer takes: more than Android's verifier waits.
const SLOW: Duration = Duration::from_secs(6);
/// How large a huge answer is: more than any device reads.
const HUGE: u64 = 8 * 1024 * 1024;
/// How many requests are answered at the same time.
const WORKERS: usize = 8;

/// Where it is served, for programs.
#[derive(Serialize)]
struct Record {
    format: u32,
    address: String,
}

/// What a broken website does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Fault {
    Redirect,
    WrongType,
    NotFound,
    Login,
    ServerError,
    Slow,
    Huge,
}

const FAULTS: [(&str, Fault); 7] = [
    ("redirect", Fault::Redirect),
    ("wrong-type", Fault::WrongType),
    ("not-found", Fault::NotFound),
    ("login", Fault::Login),
    ("server-error", Fault::ServerError),
    ("slow", Fault::Slow),
    ("huge", Fault::Huge),
];

/// Reads `--fault`: the fault, and the host that alone has it.
fn fault(written: &str) -> Result<(Fault, Option<String>), Failure> {
    let (name, host) =
        written.split_once('@').map_or((written, None), |(name, host)| (name, Some(host.to_ascii_lowercase())));
    let known = FAULTS.iter().find(|(known, _)| *known == name);
    known.map(|(_, fault)| (*fault, host)).ok_or_else(|| {
        let all: Vec<_> = FAULTS.iter().map(|(name, _)| *name).collect();
        Failure::new(format!("--fault {written}: there is no such fault; there are {}", all.join(", ")))
    })
}

pub(crate) fn run(options: &LinkServe, output: &Output) -> Done {
    let faults = options.fault.iter().map(|written| fault(written)).collect::<Result<Vec<_>, _>>()?;
    let folder = match &options.site {
        Some(folder) => folder.clone(),
        None => {
            let app = load_with(&options.app, elvask_core::app::Look::Nowhere, output)?;
            site_folder(&app).map_err(|failure| {
                failure.hint("name the folder: elvask link serve --site DIR; `elvask link files --into DIR` makes one")
            })?
        }
    };
    if !Disk.is_folder(&folder) {
        return Err(Failure::new(format!("{}: there is no such folder", folder.display())));
    }
    let server = Server::http(("127.0.0.1", options.port)).map_err(|error| {
        Failure::new(format!("port {} cannot be used: {error}", options.port)).hint("--port 0 takes a free one")
    })?;
    let address = server.server_addr().to_ip().map(|address| address.to_string()).unwrap_or_default();
    if options.app.format == Format::Json {
        output.json(&Record { format: FORMAT, address: format!("http://{address}") });
    } else {
        output.result(&format!("http://{address}\n"));
    }
    output
        .say(&format!("Serving {}. In another terminal: elvask link audit --site http://{address}", folder.display()));
    let server = Arc::new(server);
    thread::scope(|scope| {
        for _ in 0..WORKERS {
            scope.spawn(|| {
                while let Ok(request) = server.recv() {
                    let line = answer(request, &folder, &faults);
                    if !output.quiet {
                        output.say(&clean(&line));
                    }
                }
            });
        }
    });
    Ok(Outcome::Clean)
}

fn header(name: &str, value: &str) -> Option<Header> {
    Header::from_bytes(name.as_bytes(), value.as_bytes()).ok()
}

/// Answers a request, and returns the line about it.
fn answer(request: Request, folder: &std::path::Path, faults: &[(Fault, Option<String>)]) -> String {
    let named =
        request.headers().iter().find(|header| header.field.equiv("Host")).map(|header| header.value.to_string());
    let host = named.unwrap_or_default().split(':').next().unwrap_or_default().to_ascii_lowercase();
    let path = request.url().split(['?', '#']).next().unwrap_or_default().trim_start_matches('/').to_owned();
    let fault = faults.iter().find(|(_, only)| only.as_ref().is_none_or(|only| *only == host)).map(|(fault, _)| *fault);
    // Nothing but the two files is ever handed out, so no path leads elsewhere.
    let document = Document::ALL.into_iter().find(|document| document.path() == path);
    let (status, mut headers, body, length): Parts = match (document, fault) {
        (Some(_), Some(Fault::Redirect)) => {
            let target = format!("https://www.{host}/{path}");
            (301, vec![header("Location", &target)], Box::new(std::io::empty()), Some(0))
        }
        (Some(_), Some(Fault::NotFound)) | (None, _) => text(404, "there is no such file\n"),
        (Some(_), Some(Fault::Login)) => text(401, "log in first\n"),
        (Some(_), Some(Fault::ServerError)) => text(500, "something went wrong\n"),
        (Some(_), Some(Fault::Huge)) => {
            let body = std::io::repeat(b' ').take(HUGE);
            (200, vec![header("Content-Type", "application/json")], Box::new(body), Some(HUGE))
        }
        (Some(document), fault) => {
            if fault == Some(Fault::Slow) {
                thread::sleep(SLOW);
            }
            let kind = if fault == Some(Fault::WrongType) { "text/html; charset=utf-8" } else { "application/json" };
            match Folder::new(&Disk, folder, "").ask(&host, document) {
                Served::File(found) => {
                    let length = u64::try_from(found.body.len()).ok();
                    (
                        200,
                        vec![header("Content-Type", kind)],
                        Box::new(std::io::Cursor::new(found.body.to_vec())),
                        length,
                    )
                }
                _ => text(404, "there is no such file\n"),
            }
        }
    };
    headers.push(header("Cache-Control", "no-store"));
    let line = format!("{status} {} https://{host}/{path}", request.method());
    let length = length.and_then(|length| usize::try_from(length).ok());
    let response = Response::new(StatusCode(status), headers.into_iter().flatten().collect(), body, length, None);
    // A client that has gone away is no fault of the server.
    let _ = request.respond(response);
    line
}

type Parts = (u16, Vec<Option<Header>>, Box<dyn Read + Send>, Option<u64>);

fn text(status: u16, body: &'static str) -> Parts {
    let length = u64::try_from(body.len()).ok();
    (status, vec![header("Content-Type", "text/plain; charset=utf-8")], Box::new(body.as_bytes()), length)
}
