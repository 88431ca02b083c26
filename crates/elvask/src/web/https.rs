//! Asking websites for their association files, as devices do: no redirect is followed, and what comes back is limited.

use std::collections::HashMap;
use std::io::Read as _;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use elvask_core::account::{Fetched, MAX_ANSWER};
use elvask_link::association::{Answer, Document, Served, Website};
use ureq::tls::{RootCerts, TlsConfig, TlsProvider};

use crate::output::Failure;

/// How much of a header is kept, in characters: it is only shown.
const MAX_HEADER: usize = 300;
/// The most hosts that are asked at the same time.
const AT_ONCE: usize = 8;

type Known = HashMap<(String, String), Served>;

/// Websites over HTTP.
pub(crate) struct Net {
    agent: ureq::Agent,
    /// The address that is asked in the place of every host.
    base: Option<String>,
    timeout: Duration,
    known: Mutex<Known>,
}

impl Net {
    /// Prepares to ask: each host itself over HTTPS, or the one address that stands in for all.
    pub(crate) fn at(base: Option<&str>, timeout: Duration) -> Result<Net, Failure> {
        let base = base.map(|base| base.trim_end_matches('/').to_owned());
        let local = base.as_deref().map_or(Ok(false), |base| is_local(base, "a website"))?;
        Ok(Net { agent: agent(local, timeout), base, timeout, known: Mutex::default() })
    }

    /// Asks for all files of some hosts, several at a time.
    pub(crate) fn prepare(&self, hosts: &[String]) {
        let wanted: Vec<_> = hosts.iter().flat_map(|host| Document::ALL.map(|document| (host, document))).collect();
        for some in wanted.chunks(AT_ONCE) {
            std::thread::scope(|scope| {
                for (host, document) in some {
                    scope.spawn(|| self.ask(host, *document));
                }
            });
        }
    }

    fn get(&self, host: &str, path: &str, most: usize) -> Served {
        let key = (host.to_owned(), path.to_owned());
        if let Some(known) = self.known.lock().unwrap_or_else(PoisonError::into_inner).get(&key) {
            return known.clone();
        }
        let served = self.fetch(host, path, most);
        self.known.lock().unwrap_or_else(PoisonError::into_inner).insert(key, served.clone());
        served
    }

    fn fetch(&self, host: &str, path: &str, most: usize) -> Served {
        let at = format!("https://{host}/{path}");
        let address = self.base.as_ref().map_or_else(|| at.clone(), |base| format!("{base}/{path}"));
        let started = Instant::now();
        let mut request = self.agent.get(&address);
        if self.base.is_some() {
            request = request.header("Host", host);
        }
        let failed = |error: &dyn std::fmt::Display| Served::Failed {
            at: at.clone(),
            reason: self.reason(host, &error.to_string()),
        };
        let mut response = match request.call() {
            Ok(response) => response,
            Err(error) => return failed(&error),
        };
        let status = response.status().as_u16();
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).chars().take(MAX_HEADER).collect::<String>();
        let header = |name: &str| response.headers().get(name).map(|value| text(value.as_bytes()));
        let (content_type, location) = (header("content-type"), header("location"));
        let location = location.filter(|_| (300..400).contains(&status));
        if matches!(status, 404 | 410) {
            return Served::File(Answer {
                at,
                status: Some(status),
                location: None,
                content_type,
                body: Arc::from([].as_slice()),
                milliseconds: None,
            });
        }
        let mut body = Vec::new();
        let limit = u64::try_from(most).unwrap_or(u64::MAX).saturating_add(1);
        // One byte more than devices read tells that there is more.
        if let Err(error) = response.body_mut().as_reader().take(limit).read_to_end(&mut body) {
            return failed(&error);
        }
        let milliseconds = u64::try_from(started.elapsed().as_millis()).ok();
        Served::File(Answer { at, status: Some(status), location, content_type, body: body.into(), milliseconds })
    }

    /// Says in plain words why nothing came back.
    fn reason(&self, host: &str, error: &str) -> String {
        reason(host, error, self.timeout)
    }
}

/// Says in plain words why nothing came back from a host.
fn reason(host: &str, error: &str, timeout: Duration) -> String {
    let folded = error.to_ascii_lowercase();
    if folded.contains("timeout") || folded.contains("timed out") {
        return format!("no answer within {} seconds", timeout.as_secs());
    }
    if folded.contains("dns")
        || folded.contains("resolve")
        || folded.contains("lookup")
        || folded.contains("host not found")
    {
        return format!("{host} is not known to the name servers");
    }
    if folded.contains("certificate") || folded.contains("unknownissuer") {
        return format!("the certificate of {host} is not valid: {error}");
    }
    if folded.contains("refused") {
        return "the connection is refused".to_owned();
    }
    format!("the request failed: {error}")
}

/// Says whether an address is on this machine, where encryption is not wanted; one that is neither is refused. `what` is asked.
fn is_local(base: &str, what: &str) -> Result<bool, Failure> {
    let rest = base.strip_prefix("http://");
    let local = rest.is_some_and(is_loopback);
    if rest.is_some() && !local {
        return Err(Failure::new(format!(
            "{base}: {what} is asked over https:// only; http:// is for this machine (127.0.0.1)"
        )));
    }
    if !local && !base.starts_with("https://") {
        return Err(Failure::new(format!(
            "{base}: an address starts with https://, or with http://127.0.0.1 for this machine"
        )));
    }
    Ok(local)
}

/// Makes what asks: no redirect is followed, and an answer with any status is one.
fn agent(local: bool, timeout: Duration) -> ureq::Agent {
    let tls = TlsConfig::builder()
        .provider(TlsProvider::Rustls)
        .root_certs(RootCerts::PlatformVerifier)
        .unversioned_rustls_crypto_provider(Arc::new(rustls::crypto::ring::default_provider()))
        .build();
    let mut config = ureq::Agent::config_builder()
        .tls_config(tls)
        .max_redirects(0)
        .max_redirects_will_error(false)
        .http_status_as_error(false)
        .timeout_global(Some(timeout))
        .max_response_header_size(64 * 1024)
        .user_agent(concat!("elvask/", env!("CARGO_PKG_VERSION")));
    if local {
        // What runs on this machine is never asked by way of another one.
        config = config.proxy(None);
    }
    config.build().into()
}

/// How often a service is asked that does not answer, and how long it is waited at first; each time twice as long.
const TRIES: u32 = 4;
const WAIT: Duration = Duration::from_millis(200);

/// Asks a service what is registered. The token goes to the host that is named, and into no message.
pub(crate) fn ask_account(base: &str, token: &str, timeout: Duration) -> Result<Fetched, Failure> {
    let base = base.trim_end_matches('/');
    let is_plain = !base.contains(['?', '#', '@']) && !base.chars().any(|letter| letter.is_control() || letter == ' ');
    if !is_plain {
        return Err(Failure::new("--from: an address has no name, password, query or fragment in it"));
    }
    let agent = agent(is_local(base, "a service")?, timeout);
    let host = base.split("://").nth(1).unwrap_or_default().split('/').next().unwrap_or_default();
    let failed = |why: String| Failure::new(format!("{base}: {why}"));
    let mut wait = WAIT;
    let mut last = failed("no answer".to_owned());
    for attempt in 0..TRIES {
        if attempt > 0 {
            std::thread::sleep(wait);
            wait *= 2;
        }
        let asked = agent.get(format!("{base}/v1/account")).header("Authorization", format!("Bearer {token}")).call();
        let mut response = match asked {
            Ok(response) => response,
            Err(error) => {
                last = failed(reason(host, &error.to_string(), timeout));
                continue;
            }
        };
        match response.status().as_u16() {
            200 => {}
            401 | 403 => return Err(failed("it refuses the token".to_owned())),
            404 => return Err(failed("there is no such service".to_owned())),
            status @ 300..=399 => {
                let why = format!("it answers {status} and points elsewhere; the token goes to no other host");
                return Err(failed(why));
            }
            // It may come back.
            status @ (429 | 500..) => {
                last = failed(format!("it answers {status}"));
                continue;
            }
            status => return Err(failed(format!("it answers {status}"))),
        }
        let mut body = Vec::new();
        let limit = u64::try_from(MAX_ANSWER).unwrap_or(u64::MAX).saturating_add(1);
        if let Err(error) = response.body_mut().as_reader().take(limit).read_to_end(&mut body) {
            last = failed(reason(host, &error.to_string(), timeout));
            continue;
        }
        if body.len() > MAX_ANSWER {
            return Err(failed(format!("its answer has more than {} MB", MAX_ANSWER / 1024 / 1024)));
        }
        return Fetched::read(base, &body).map_err(failed);
    }
    Err(last)
}

fn is_loopback(rest: &str) -> bool {
    let authority = rest.split(['/', '?', '#']).next().unwrap_or_default();
    if authority.contains('@') {
        return false;
    }
    let host = if let Some(inside) = authority.strip_prefix('[') {
        inside.split(']').next().unwrap_or_default()
    } else {
        authority.split(':').next().unwrap_or_default()
    };
    host == "localhost" || host.parse::<std::net::IpAddr>().is_ok_and(|address| address.is_loopback())
}

impl Website for Net {
    fn ask(&self, host: &str, document: Document) -> Served {
        self.get(host, document.path(), document.max_bytes())
    }

    fn ask_root(&self, host: &str) -> Served {
        self.get(host, Document::AppleAssociation.name(), Document::AppleAssociation.max_bytes())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_this_machine_is_asked_without_encryption() {
        assert!(is_loopback("127.0.0.1:8095") && is_loopback("localhost") && is_loopback("[::1]:80/x"));
        assert!(
            !is_loopback("marram.example")
                && !is_loopback("127.0.0.1@marram.example")
                && !is_loopback("127.0.0.1.marram.example")
        );
        assert!(Net::at(Some("http://marram.example"), Duration::from_secs(1)).is_err());
        assert!(Net::at(Some("ftp://marram.example"), Duration::from_secs(1)).is_err());
    }
}
