//! `elvask link serve`.

use std::net::{IpAddr, Ipv4Addr};
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use elvask_link::association::{Document, Folder, Served, Website as _};
use elvask_project::files::{Disk, Files as _};
use elvask_record::{FORMAT, ServeRecord};
use hyper::Request;
use hyper::body::{Bytes, Incoming};
use hyper::header::{self, HeaderName};

use super::site_folder;
use crate::commands::{Done, load_with};
use crate::options::Format;
use crate::options::link::LinkServe;
use crate::output::{Failure, Output};
use crate::render::clean;
use crate::serving::{self, Answer, Lines};

/// How long a slow answer takes: more than Android's verifier waits.
const SLOW: Duration = Duration::from_secs(6);
/// How large a huge answer is: more than any device reads.
const HUGE: usize = 8 * 1024 * 1024;
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
            let app = load_with(&options.app.choice, elvask_core::app::Look::Nowhere, output)?;
            site_folder(&app).map_err(|failure| {
                failure.hint("name the folder: elvask link serve --site DIR; `elvask link files --into DIR` makes one")
            })?
        }
    };
    if !Disk.is_folder(&folder) {
        return Err(Failure::new(format!("{}: there is no such folder", folder.display())));
    }
    let site = Arc::new(Site { folder, faults });
    let shown = clean(&site.folder.display().to_string()).into_owned();
    let ready = |address: &str| {
        if options.app.format == Format::Json {
            output.json(&ServeRecord { format: FORMAT, address: address.to_owned() });
        } else {
            output.result(&format!("{address}\n"));
        }
        output.say(&format!("Serving {shown}. In another terminal: elvask link audit --site {address}"));
    };
    let here = IpAddr::from(Ipv4Addr::LOCALHOST);
    match serving::forever((here, options.port), output, ready, move |request, lines| {
        answer(request, Arc::clone(&site), lines)
    })? {}
}

/// What is served.
struct Site {
    folder: PathBuf,
    faults: Vec<(Fault, Option<String>)>,
}

/// Answers a request, and says on `lines` what it was.
async fn answer(request: Request<Incoming>, site: Arc<Site>, lines: Lines) -> Answer {
    let named = request.headers().get(header::HOST).and_then(|value| value.to_str().ok()).unwrap_or_default();
    let host = named.split(':').next().unwrap_or_default().to_ascii_lowercase();
    let path = request.uri().path().trim_start_matches('/').to_owned();
    let concerns = |only: &Option<String>| only.as_ref().is_none_or(|only| *only == host);
    let fault = site.faults.iter().find(|(_, only)| concerns(only)).map(|(fault, _)| *fault);
    // Nothing but the two files is ever handed out, so no path leads elsewhere.
    let document = Document::ALL.into_iter().find(|document| document.path() == path);
    let mut why = None;
    let (status, fields, body): Parts = match (document, fault) {
        (Some(_), Some(Fault::Redirect)) => {
            (301, vec![(header::LOCATION, format!("https://www.{host}/{path}"))], Bytes::new())
        }
        (Some(_), Some(Fault::NotFound)) | (None, _) => text(404, "there is no such file\n"),
        (Some(_), Some(Fault::Login)) => text(401, "log in first\n"),
        (Some(_), Some(Fault::ServerError)) => text(500, "something went wrong\n"),
        (Some(_), Some(Fault::Huge)) => (200, json_type(), Bytes::from(vec![b' '; HUGE])),
        (Some(document), fault) => {
            if fault == Some(Fault::Slow) {
                tokio::time::sleep(SLOW).await;
            }
            let kind = match fault {
                Some(Fault::WrongType) => vec![(header::CONTENT_TYPE, "text/html; charset=utf-8".to_owned())],
                _ => json_type(),
            };
            match Folder::new(&Disk, &site.folder, "").ask(&host, document) {
                Served::File(found) => match found.is_well_formed(document) {
                    Ok(()) => (200, kind, Bytes::copy_from_slice(&found.body)),
                    Err(wrong) => {
                        why = Some(wrong);
                        text(404, "there is no well-formed file\n")
                    }
                },
                Served::Failed { reason, .. } => {
                    why = Some(reason);
                    text(404, "there is no such file\n")
                }
                _ => text(404, "there is no such file\n"),
            }
        }
    };
    let why = why.map(|why| format!(": not served, as {why}")).unwrap_or_default();
    // Where nobody reads what is said, requests are answered all the same.
    let _ = lines.try_send(format!("{status} {} https://{host}/{path}{why}", request.method()));
    Answer { status, fields, body }
}

/// The status, the header fields and the body of an answer.
type Parts = (u16, Vec<(HeaderName, String)>, Bytes);

fn json_type() -> Vec<(HeaderName, String)> {
    vec![(header::CONTENT_TYPE, "application/json".to_owned())]
}

fn text(status: u16, body: &'static str) -> Parts {
    (status, vec![(header::CONTENT_TYPE, "text/plain; charset=utf-8".to_owned())], Bytes::from_static(body.as_bytes()))
}
