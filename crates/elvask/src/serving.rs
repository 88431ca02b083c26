//! Answering requests over HTTP on this machine: connections that are limited in number, time and size.

use std::convert::Infallible;
use std::future::Future;
use std::net::IpAddr;
use std::sync::{Arc, mpsc};
use std::thread;
use std::time::Duration;

use http_body_util::Full;
use hyper::body::{Bytes, Incoming};
use hyper::header::{self, HeaderName, HeaderValue};
use hyper::server::conn::http1;
use hyper::service::service_fn;
use hyper::{Request, Response, StatusCode};
use hyper_util::rt::{TokioIo, TokioTimer};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

use crate::output::{Failure, Output};
use crate::render::clean;

/// How many connections are open at the same time; others wait.
const CONNECTIONS: usize = 64;
/// How long a client may take for the head of its request.
const PATIENCE: Duration = Duration::from_secs(5);
/// How long a connection lasts at most.
const LONGEST: Duration = Duration::from_secs(30);
/// The most bytes and fields of the head of a request.
const MAX_HEAD: usize = 16 * 1024;
const MAX_HEADERS: usize = 64;
/// How many lines wait to be said.
const LINES: usize = 256;

/// Lines that are said of requests, one each.
pub(crate) type Lines = mpsc::SyncSender<String>;

/// What answers: the status, the header fields and the body.
#[derive(Debug, Default)]
pub(crate) struct Answer {
    pub(crate) status: u16,
    pub(crate) fields: Vec<(HeaderName, String)>,
    pub(crate) body: Bytes,
}

impl From<Answer> for Response<Full<Bytes>> {
    fn from(answer: Answer) -> Self {
        let mut response = Response::new(Full::new(answer.body));
        *response.status_mut() = StatusCode::from_u16(answer.status).unwrap_or_default();
        for (name, value) in answer.fields.into_iter().chain([(header::CACHE_CONTROL, "no-store".to_owned())]) {
            if let Ok(value) = HeaderValue::from_str(&value) {
                response.headers_mut().insert(name, value);
            }
        }
        response
    }
}

/// Answers requests until the program is ended. `ready` is called once with the address; `answer` says on the lines what each request was.
///
/// # Errors
/// The port cannot be used, or no server can be started.
pub(crate) fn forever<A, F>(
    (host, port): (IpAddr, u16),
    output: &Output,
    ready: impl FnOnce(&str),
    answer: A,
) -> Result<Infallible, Failure>
where
    A: Fn(Request<Incoming>, Lines) -> F + Clone + Send + 'static,
    F: Future<Output = Answer> + Send + 'static,
{
    let runtime = tokio::runtime::Builder::new_current_thread().enable_io().enable_time().build();
    let runtime = runtime.map_err(|error| Failure::new(format!("no server can be started: {error}")))?;
    let (lines, told) = mpsc::sync_channel::<String>(LINES);
    thread::scope(|scope| {
        scope.spawn(|| {
            for line in told {
                if !output.quiet {
                    output.say(&clean(&line));
                }
            }
        });
        runtime.block_on(async {
            let listener = TcpListener::bind((host, port)).await.map_err(|error| {
                Failure::new(format!("port {port} cannot be used: {error}")).hint("--port 0 takes a free one")
            })?;
            let address = listener.local_addr().map(|address| address.to_string()).unwrap_or_default();
            ready(&format!("http://{address}"));
            accept_all(&listener, &lines, answer).await
        })
    })
}

async fn accept_all<A, F>(listener: &TcpListener, lines: &Lines, answer: A) -> Result<Infallible, Failure>
where
    A: Fn(Request<Incoming>, Lines) -> F + Clone + Send + 'static,
    F: Future<Output = Answer> + Send + 'static,
{
    let seats = Arc::new(Semaphore::new(CONNECTIONS));
    loop {
        // One that has gone away before it was taken is not a fault of the server.
        let Some((stream, seat)) = accept(listener, &seats).await else { continue };
        let (answer, lines) = (answer.clone(), lines.clone());
        tokio::spawn(async move {
            let service = service_fn(move |request| {
                let answered = answer(request, lines.clone());
                async move { Ok::<_, Infallible>(Response::from(answered.await)) }
            });
            let connection = http1::Builder::new()
                .timer(TokioTimer::new())
                .header_read_timeout(PATIENCE)
                .max_buf_size(MAX_HEAD)
                .max_headers(MAX_HEADERS)
                .keep_alive(false)
                .serve_connection(TokioIo::new(stream), service);
            let _ = tokio::time::timeout(LONGEST, connection).await;
            drop(seat);
        });
    }
}

/// Waits for a seat, and then for a connection that takes it.
async fn accept(listener: &TcpListener, seats: &Arc<Semaphore>) -> Option<(TcpStream, OwnedSemaphorePermit)> {
    let seat = Arc::clone(seats).acquire_owned().await.ok()?;
    let (stream, _) = listener.accept().await.ok()?;
    Some((stream, seat))
}
