//! `[network]` of `elvask.toml`: where the app connects to, and which places speak without protection.

use elvask_project::tomldoc::{Problem, Table, Text};

/// Where the app connects to.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct NetworkConfig {
    /// The hosts that it asks over connections that are protected; `*.` in front stands for all below one.
    pub hosts: Vec<Text>,
    /// The hosts that have no protection.
    pub cleartext: Vec<Cleartext>,
    /// In a hybrid app: the pages that it may show besides its own.
    pub navigation: Vec<Text>,
    /// In a hybrid app: the links that other apps open.
    pub intents: Vec<Text>,
}

/// A host without protection.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cleartext {
    /// The host.
    pub host: Text,
    /// Whether those below it are meant too.
    pub subdomains: bool,
    /// Why there is no other way.
    pub reason: String,
}

pub(super) fn read(table: &Table<'_, '_>, problems: &mut Vec<Problem>) -> NetworkConfig {
    table.refuse_others(super::keys_of("network"), problems);
    let mut config = NetworkConfig {
        navigation: table.texts("navigation", false, problems),
        intents: table.texts("intents", false, problems),
        ..NetworkConfig::default()
    };
    for host in table.texts("hosts", false, problems) {
        config.hosts.extend(plain(host, true, problems));
    }
    for one in table.tables("cleartext", "a host without protection", problems) {
        one.refuse_others(super::keys_of("network.cleartext"), problems);
        let (host, reason) = (one.required_text("host", problems), one.required_text("reason", problems));
        let subdomains = one.boolean("subdomains", problems).unwrap_or(false);
        let (Some(host), Some(reason)) = (host, reason) else { continue };
        if let Some(host) = plain(host, false, problems) {
            config.cleartext.push(Cleartext { host, subdomains, reason: reason.text });
        }
    }
    config
}

/// Returns a host as the platforms compare it; none where it is something else.
fn plain(host: Text, star: bool, problems: &mut Vec<Problem>) -> Option<Text> {
    let text = host.text.to_ascii_lowercase();
    let bare = if star { text.strip_prefix("*.").unwrap_or(&text) } else { &text };
    let part = |part: &str| {
        !part.is_empty() && part.bytes().all(|one| one.is_ascii_alphanumeric() || one == b'-' || one == b'_')
    };
    if bare.split('.').all(part) {
        return Some(Text { text, span: host.span });
    }
    let message = if host.text.contains("://") || host.text.contains('/') {
        format!("`{}` is an address: only its host is written here, such as api.marram.example", host.text)
    } else if host.text.starts_with("*.") {
        format!("`{}`: write the host without the star, with `subdomains = true` beside it", host.text)
    } else {
        format!("`{}` is not a host, such as api.marram.example", host.text)
    };
    problems.push(Problem { message, span: host.span });
    None
}

#[cfg(test)]
mod tests {
    use crate::config::Config;

    #[test]
    fn places_are_hosts_and_those_without_protection_have_a_reason() {
        let (config, problems) = Config::parse(
            "elvask = 1\n[network]\nhosts = ['API.marram.example', '*.tiles.example', 'https://a.example']\n[[network.cleartext]]\nhost = 'tide.marram.example'\nreason = 'The gauge speaks no https.'\n[[network.cleartext]]\nhost = '*.b.example'\nreason = 'x'\n[[network.cleartext]]\nhost = 'c.example'\n",
        );
        let network = config.network.expect("there is such a table");
        let hosts: Vec<_> = network.hosts.iter().map(|host| host.text.as_str()).collect();
        assert_eq!(hosts, ["api.marram.example", "*.tiles.example"]);
        assert_eq!(network.cleartext.len(), 1);
        let messages: Vec<_> = problems.iter().map(|problem| problem.message.as_str()).collect();
        assert_eq!(messages.len(), 3, "{messages:?}");
        assert!(messages[0].contains("only its host") && messages[1].contains("subdomains = true"), "{messages:?}");
    }
}
