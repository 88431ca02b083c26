//! `elvask account serve`.

use std::sync::Arc;

use elvask_core::app::Look;
use elvask_record::{AccountServeRecord, FORMAT};
use http_body_util::{BodyExt as _, Limited};
use hyper::Request;
use hyper::body::{Body as _, Bytes, Incoming};
use hyper::header;
use serde_json::json;

use super::store::Store;
use super::{service, token};
use crate::commands::{Done, load_with, typed};
use crate::options::Format;
use crate::options::account::AccountServe;
use crate::output::{Failure, Output};
use crate::serving::{self, Answer, Lines};

/// The most bytes of the body of a request.
const MAX_BODY: usize = 1024 * 1024;

pub(crate) fn run(options: &AccountServe, output: &Output) -> Done {
    let store = Store::open(&options.store)?;
    let (token, told) = match token::given(options.token_file.as_deref())? {
        Some(token) => (token, options.token_file.clone()),
        None => token::beside(&options.store).map(|(token, path)| (token, Some(path)))?,
    };
    let app = options.app.options();
    if options.load {
        let loaded = load_with(&app.choice, Look::Nowhere, output)?;
        let stated = elvask_core::registered::stated(&loaded).map_err(Failure::new)?;
        let count = service::register(&store, &stated).map_err(Failure::new)?;
        output.say(&format!("Registered {count} things that {} states.", elvask_core::account::ACCOUNT_FILE));
    }
    if !options.listen.is_loopback() {
        output.notice("other machines can ask it, and the token goes to it without encryption");
    }
    let served = Arc::new(Served { store, token });
    let ready = |address: &str| {
        let file = told.as_deref().map(typed);
        if app.format == Format::Json {
            output.json(&AccountServeRecord { format: FORMAT, address: address.to_owned(), token_file: file.clone() });
        } else {
            output.result(&format!("{address}\n"));
        }
        let at = file.map(|file| format!(" --token-file {file}")).unwrap_or_default();
        output.say(&format!(
            "Standing in for the accounts, with {}. In another terminal:\n  elvask account check --from {address}{at}",
            typed(&options.store)
        ));
    };
    let answered = move |request, lines| answer(request, Arc::clone(&served), lines);
    match serving::forever((options.listen, options.port), output, ready, answered)? {}
}

/// What is served.
struct Served {
    store: Store,
    token: String,
}

/// Answers a request, and says on `lines` what it was. The token is in no line.
async fn answer(request: Request<Incoming>, served: Arc<Served>, lines: Lines) -> Answer {
    let (method, path) = (request.method().as_str().to_owned(), request.uri().path().to_owned());
    let (status, body) = answer_to(request, &served).await;
    let _ = lines.try_send(format!("{status} {method} {path}"));
    let mut fields = vec![(header::CONTENT_TYPE, "application/json".to_owned())];
    if status == 401 {
        fields.push((header::WWW_AUTHENTICATE, "Bearer".to_owned()));
    }
    Answer { status, fields, body: Bytes::from(format!("{body}\n")) }
}

async fn answer_to(request: Request<Incoming>, served: &Served) -> service::Answered {
    let said = request.headers().get(header::AUTHORIZATION).map(header::HeaderValue::as_bytes);
    let token = said.and_then(|said| said.strip_prefix(b"Bearer ")).unwrap_or_default();
    if !token::same(token, served.token.as_bytes()) {
        return (401, json!({ "error": "the token is missing or wrong" }));
    }
    let too_large = || (413, json!({ "error": format!("a body has at most {MAX_BODY} bytes") }));
    let (head, body) = request.into_parts();
    if body.size_hint().lower() > MAX_BODY as u64 {
        return too_large();
    }
    let body = match Limited::new(body, MAX_BODY).collect().await {
        Ok(body) => body.to_bytes(),
        Err(error) if error.is::<http_body_util::LengthLimitError>() => return too_large(),
        Err(_) => return (400, json!({ "error": "the body did not come whole" })),
    };
    service::answer(&served.store, head.method.as_str(), head.uri.path(), &body)
}
