//! A link as it is handed to the platforms, and the parts that each of them sees.

use std::borrow::Cow;

use percent_encoding::{AsciiSet, CONTROLS, percent_decode_str, utf8_percent_encode};

/// The longest link that is looked at, in bytes: more does not fit the messages in which devices pass links on.
pub const MAX_LENGTH: usize = 64 * 1024;

/// What must be percent-encoded where it stands in a link as it is; letters outside ASCII are encoded too.
const ENCODED: &AsciiSet = &CONTROLS.add(b' ').add(b'"').add(b'<').add(b'>').add(b'`').add(b'{').add(b'}');

/// Why a text is not a link that could be tried.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LinkError {
    /// Nothing there.
    #[error("the URL is empty")]
    Empty,
    /// Too long.
    #[error("the URL has {0} bytes; devices pass on {MAX_LENGTH} at the most")]
    TooLong(usize),
    /// A control character or a space.
    #[error("{what} is at character {at} of the URL; a link cannot contain one: write it as {instead}, or remove it")]
    Unwritable {
        /// What it is, for people.
        what: &'static str,
        /// Where, counted from 1 in characters.
        at: usize,
        /// How it is written.
        instead: String,
    },
    /// No scheme.
    #[error("the URL has no scheme; write one such as https://{0}")]
    NoScheme(String),
    /// A scheme with wrong characters.
    #[error("`{0}` is not a URL scheme: it starts with a letter and goes on with letters, digits, `+`, `-` and `.`")]
    BadScheme(String),
    /// An escape that is none.
    #[error("`{text}` at character {at} is not a percent escape; write a percent sign as %25")]
    BadEscape {
        /// What stands there.
        text: String,
        /// Where, counted from 1 in characters.
        at: usize,
    },
    /// A web link without a host.
    #[error("the URL has no host; write one such as https://marram.example/site/42")]
    NoHost,
    /// A host that is none.
    #[error("`{0}` is not a host that a link can have")]
    BadHost(String),
    /// A port that is none.
    #[error("`{0}` is not a port: it is a number up to 65535")]
    BadPort(String),
}

/// A link that has been looked over: its text is what a browser would pass on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Link {
    text: String,
    /// What was changed in the text as it was given, in sentences without a full stop.
    pub changes: Vec<String>,
}

impl Link {
    /// Looks a text over. Letters outside ASCII are written as browsers do: the host in its `xn--` form, the rest
    /// percent-encoded.
    ///
    /// # Errors
    /// Why it is not a link.
    pub fn parse(written: &str) -> Result<Link, LinkError> {
        if written.is_empty() {
            return Err(LinkError::Empty);
        }
        if written.len() > MAX_LENGTH {
            return Err(LinkError::TooLong(written.len()));
        }
        for (at, letter) in written.chars().enumerate() {
            let what = match letter {
                '\n' | '\r' => "a line break",
                '\t' => "a tab",
                ' ' => "a space",
                '\\' => "a backslash",
                letter if letter.is_control() => "a control character",
                // What turns the direction of writing hides where a link goes.
                '\u{202A}'..='\u{202E}' | '\u{2066}'..='\u{2069}' | '\u{200B}'..='\u{200F}' | '\u{FEFF}' => {
                    "an invisible character"
                }
                _ => continue,
            };
            let mut bytes = [0; 4];
            let instead = letter.encode_utf8(&mut bytes).bytes().map(|byte| format!("%{byte:02X}")).collect();
            return Err(LinkError::Unwritable { what, at: at + 1, instead });
        }
        let Some((scheme, rest)) = written.split_once(':') else {
            return Err(LinkError::NoScheme(written.trim_start_matches('/').chars().take(60).collect()));
        };
        let is_host = scheme.contains('.') && !rest.starts_with("//");
        if is_host || scheme.contains(['/', '?', '#']) {
            return Err(LinkError::NoScheme(written.trim_start_matches('/').chars().take(60).collect()));
        }
        let mut letters = scheme.chars();
        let good = letters.next().is_some_and(|first| first.is_ascii_alphabetic())
            && letters.all(|letter| letter.is_ascii_alphanumeric() || matches!(letter, '+' | '-' | '.'));
        if !good {
            return Err(LinkError::BadScheme(scheme.chars().take(60).collect()));
        }
        check_escapes(written)?;
        let mut link = Link { text: written.to_owned(), changes: Vec::new() };
        link.write_host()?;
        if !link.text.is_ascii() || link.text.contains(['"', '<', '>', '`', '{', '}']) {
            link.text = utf8_percent_encode(&link.text, ENCODED).to_string();
            link.changes.push("characters that a link cannot contain are percent-encoded, as browsers do".to_owned());
        }
        let uri = link.uri();
        let is_web = matches!(uri.scheme.to_ascii_lowercase().as_str(), "http" | "https");
        if is_web && uri.host().is_none_or(|host| host.is_empty()) {
            return Err(LinkError::NoHost);
        }
        Ok(link)
    }

    /// Puts the host in the form in which it is looked up.
    fn write_host(&mut self) -> Result<(), LinkError> {
        let uri = Uri::parse(&self.text);
        let Some(authority) = uri.authority else { return Ok(()) };
        let Some(start) = self.text.find("//").map(|at| at + 2) else { return Ok(()) };
        let (host, port) = split_port(after_user(authority));
        let bracketed = host.starts_with('[') && host.ends_with(']');
        if let Some(port) = port
            && !port.is_empty()
            && port.parse::<u16>().is_err()
        {
            return Err(LinkError::BadPort(port.to_owned()));
        }
        // A colon that no port follows: `h.example:abc`.
        if port.is_none() && host.contains(':') && !bracketed {
            let wrong = host.rsplit(':').next().unwrap_or_default();
            return Err(LinkError::BadPort(wrong.to_owned()));
        }
        let is_web = matches!(uri.scheme.to_ascii_lowercase().as_str(), "http" | "https");
        if !is_web || host.is_empty() || bracketed {
            return Ok(());
        }
        let decoded = percent_decode_str(host).decode_utf8().map_err(|_| LinkError::BadHost(host.to_owned()))?;
        let ascii = idna::domain_to_ascii(&decoded).map_err(|_| LinkError::BadHost(host.to_owned()))?;
        let allowed = |letter: char| letter.is_ascii_alphanumeric() || matches!(letter, '.' | '-' | '_');
        if ascii.is_empty()
            || ascii.len() > 253
            || !ascii.chars().all(allowed)
            || ascii.split('.').any(|label| label.len() > 63)
        {
            return Err(LinkError::BadHost(host.chars().take(60).collect()));
        }
        if !host.eq_ignore_ascii_case(&ascii) {
            self.changes.push(format!("the host is looked up as {ascii}: platforms compare it in that form"));
            let user = authority.len() - after_user(authority).len();
            let from = start + user;
            let to = from + host.len();
            self.text.replace_range(from..to, &ascii);
        }
        Ok(())
    }

    /// Returns the text that is passed on.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Returns its parts as they are written.
    #[must_use]
    pub fn uri(&self) -> Uri<'_> {
        Uri::parse(&self.text)
    }

    /// Returns its parts for people.
    #[must_use]
    pub fn parts(&self) -> Parts {
        self.uri().parts()
    }
}

fn check_escapes(text: &str) -> Result<(), LinkError> {
    for (at, _) in text.match_indices('%') {
        let digits = text.get(at + 1..at + 3);
        if !digits.is_some_and(|digits| digits.bytes().all(|byte| byte.is_ascii_hexdigit())) {
            let shown: String = text.get(at..).unwrap_or_default().chars().take(3).collect();
            let place = text.get(..at).map_or(0, |before| before.chars().count()) + 1;
            return Err(LinkError::BadEscape { text: shown, at: place });
        }
    }
    Ok(())
}

fn after_user(authority: &str) -> &str {
    authority.rsplit_once('@').map_or(authority, |(_, host)| host)
}

/// Parts a port from the host; a colon that something else than digits follows is part of the host.
fn split_port(text: &str) -> (&str, Option<&str>) {
    match text.rsplit_once(':') {
        Some((host, port)) if port.bytes().all(|byte| byte.is_ascii_digit()) => (host, Some(port)),
        _ => (text, None),
    }
}

/// The parts of a link as they are written; nothing is decoded and nothing copied.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Uri<'u> {
    /// What stands before the first colon.
    pub scheme: &'u str,
    /// What stands between the scheme and the fragment.
    pub specific: &'u str,
    /// What stands between `//` and the path, where there is a `//`.
    pub authority: Option<&'u str>,
    /// The path; `None` for a link such as `mailto:x`, which has none.
    pub path: Option<&'u str>,
    /// What stands behind `?`.
    pub query: Option<&'u str>,
    /// What stands behind `#`.
    pub fragment: Option<&'u str>,
}

impl<'u> Uri<'u> {
    /// Splits a text.
    #[must_use]
    pub fn parse(text: &'u str) -> Self {
        let (scheme, rest) = text.split_once(':').unwrap_or(("", text));
        let (specific, fragment) = match rest.split_once('#') {
            Some((specific, fragment)) => (specific, Some(fragment)),
            None => (rest, None),
        };
        if !specific.starts_with('/') {
            return Uri { scheme, specific, authority: None, path: None, query: None, fragment };
        }
        let (hierarchy, query) = match specific.split_once('?') {
            Some((hierarchy, query)) => (hierarchy, Some(query)),
            None => (specific, None),
        };
        let (authority, path) = match hierarchy.strip_prefix("//") {
            Some(rest) => {
                let end = rest.find('/').unwrap_or(rest.len());
                let (authority, path) = rest.split_at(end);
                (Some(authority), path)
            }
            None => (None, hierarchy),
        };
        Uri { scheme, specific, authority, path: Some(path), query, fragment }
    }

    /// Returns the host, percent-decoded.
    #[must_use]
    pub fn host(&self) -> Option<Cow<'u, str>> {
        let host = split_port(after_user(self.authority?)).0;
        Some(decode(host))
    }

    /// Returns the port, where one is written.
    #[must_use]
    pub fn port(&self) -> Option<u32> {
        split_port(after_user(self.authority?)).1?.parse().ok()
    }

    /// Says whether it is a link of the web.
    #[must_use]
    pub fn is_web(&self) -> bool {
        self.scheme.eq_ignore_ascii_case("https") || self.scheme.eq_ignore_ascii_case("http")
    }

    /// Returns its parts, decoded. Of a link with a scheme of the app's own, what stands at the place of the host is the first segment
    /// of the route.
    #[must_use]
    pub fn parts(&self) -> Parts {
        let decoded = |text: &str| decode(text).into_owned();
        let path = self.path.unwrap_or(self.specific);
        let segments = path.split('/').filter(|segment| !segment.is_empty()).map(decoded).collect();
        let mut query: Vec<(String, Vec<String>)> = Vec::new();
        for pair in self.query.unwrap_or_default().split('&').filter(|pair| !pair.is_empty()) {
            let (name, value) = pair.split_once('=').unwrap_or((pair, ""));
            let (name, value) = (decoded(name), decoded(value));
            match query.iter_mut().find(|(known, _)| *known == name) {
                Some((_, values)) => values.push(value),
                None => query.push((name, vec![value])),
            }
        }
        Parts {
            scheme: self.scheme.to_ascii_lowercase(),
            host: self.host().map(|host| host.to_ascii_lowercase()).unwrap_or_default(),
            port: self.port(),
            path: decoded(path),
            segments,
            query,
            fragment: self.fragment.map(decoded),
        }
    }

    /// Returns the segments that a route is held against: those of the path, with the host before them where the scheme is the app's own.
    #[must_use]
    pub fn route_segments(&self) -> Vec<String> {
        let parts = self.parts();
        let host = (!self.is_web() && !parts.host.is_empty()).then_some(parts.host);
        host.into_iter().chain(parts.segments).collect()
    }
}

/// Decodes percent escapes; what is not UTF-8 becomes the replacement character, as on the platforms.
#[must_use]
pub fn decode(text: &str) -> Cow<'_, str> {
    if text.contains('%') { percent_decode_str(text).decode_utf8_lossy() } else { Cow::Borrowed(text) }
}

/// The parts of a link by position and name, decoded.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Parts {
    /// The scheme, in small letters.
    pub scheme: String,
    /// The host, in small letters; empty where there is none.
    pub host: String,
    /// The port, where one is written.
    pub port: Option<u32>,
    /// The path.
    pub path: String,
    /// Its segments.
    pub segments: Vec<String>,
    /// The parameters in their order, each with all its values.
    pub query: Vec<(String, Vec<String>)>,
    /// What stands behind `#`.
    pub fragment: Option<String>,
}

impl Parts {
    /// Returns the first value of a parameter.
    #[must_use]
    pub fn parameter(&self, name: &str) -> Option<&str> {
        let (_, values) = self.query.iter().find(|(known, _)| known == name)?;
        values.first().map(String::as_str)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_link_comes_apart() {
        let link = Link::parse("https://log.marram.example:8443/site/4%202?tab=a&tab=b&x#top").unwrap();
        let parts = link.parts();
        assert_eq!(
            (parts.host.as_str(), parts.port, parts.path.as_str()),
            ("log.marram.example", Some(8443), "/site/4 2")
        );
        assert_eq!(parts.segments, ["site", "4 2"]);
        assert_eq!(
            parts.query,
            [("tab".to_owned(), vec!["a".to_owned(), "b".to_owned()]), ("x".to_owned(), vec![String::new()])]
        );
        assert_eq!(parts.fragment.as_deref(), Some("top"));
        let own = Link::parse("marram://site/42").unwrap();
        assert_eq!(own.uri().route_segments(), ["site", "42"]);
        let mail = Link::parse("mailto:a@marram.example").unwrap();
        assert_eq!((mail.uri().path, mail.parts().path.as_str()), (None, "a@marram.example"));
        assert_eq!(Link::parse("https://u:p@marram.example/").unwrap().parts().host, "marram.example");
    }

    #[test]
    fn what_is_no_link_is_refused_with_its_place() {
        let refused = |text: &str| Link::parse(text).unwrap_err().to_string();
        assert_eq!(
            refused("https://marram.example/a\nb"),
            "a line break is at character 25 of the URL; a link cannot contain one: write it as %0A, or remove it"
        );
        assert_eq!(
            refused("https://marram.example/%zz"),
            "`%zz` at character 24 is not a percent escape; write a percent sign as %25"
        );
        assert_eq!(
            refused("marram.example/site"),
            "the URL has no scheme; write one such as https://marram.example/site"
        );
        assert_eq!(
            refused("marram.example:8080/site"),
            "the URL has no scheme; write one such as https://marram.example:8080/site"
        );
        assert!(refused("https:///site").starts_with("the URL has no host"));
        assert!(refused(&format!("https://marram.example/{}", "a".repeat(MAX_LENGTH))).contains("65536 at the most"));
        assert!(refused("https://marram.example:99999/").contains("is not a port"));
        assert!(refused("https://marram.example:http/").contains("is not a port"));
        assert!(refused("4x://a").contains("is not a URL scheme"));
        assert!(refused("https://mar ram.example/").contains("%20"));
        assert!(refused("https://marram.example/\u{202E}").contains("an invisible character"));
        assert!(refused("https://a|b.example/").contains("is not a host"));
    }

    #[test]
    fn letters_outside_ascii_are_written_as_browsers_do() {
        let link = Link::parse("https://grønland.example/vår?ø=å").unwrap();
        assert_eq!(link.text(), "https://xn--grnland-r1a.example/v%C3%A5r?%C3%B8=%C3%A5");
        assert_eq!(link.changes.len(), 2);
        assert_eq!(link.parts().path, "/vår");
    }
}
