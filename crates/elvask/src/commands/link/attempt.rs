//! `elvask link try`.

use elvask_core::Platform;
use elvask_core::app::App;
use elvask_link::association::Website;
use elvask_link::route::{self, Met};
use elvask_link::url::Link;
use elvask_link::{AppLinks, Attempt, Device, Outcome as Opens};
use elvask_record::{AttemptRecord, FORMAT, LinkEntryRecord, LinkTableRecord, PartsRecord, PlaceRecord, TryRecord};

use super::{device, site, with_links};
use crate::commands::{Done, Outcome};
use crate::options::Format;
use crate::options::link::{LinkTry, State};
use crate::output::{Failure, Output};
use crate::render::style::{ERROR, FAINT, GOOD, HEADING, NOTE, WARNING, paint};
use crate::render::{clean, columns, fitted, width, wrap};

pub(crate) fn run(options: &LinkTry, output: &Output) -> Done {
    let Some(url) = &options.url else { return table(options, output) };
    let link = Link::parse(url)
        .map_err(|error| Failure::new(error.to_string()).hint("quote the URL in the shell: 'https://…?a=1&b=2'"))?;
    with_links(&options.app.choice, output, |app, context, links| {
        let device = device(&options.look, app)?;
        let site = site(options.look.site.as_deref(), app, false)?;
        let site = site.as_ref().map(|site| site as &dyn Website);
        let attempts = links.open(context.sources, &link, device, site);
        let met = route::met(&app.config().links.routes, &link);
        if options.app.format == Format::Json {
            output.json(&record(app, &link, &attempts, met.as_ref(), device, options.state, links));
            return Ok(Outcome::Clean);
        }
        let mut text = format!("{}\n", paint(HEADING, &clean(link.text())));
        for change in &link.changes {
            text.push_str(&format!("  {} {}\n", paint(NOTE, "note:"), clean(change)));
        }
        for (platform, attempt) in &attempts {
            text.push('\n');
            text.push_str(&shown(app, &link, *platform, attempt, device, options.state, links));
        }
        text.push_str(&parts(&link, met.as_ref(), app));
        if options.look.site.is_none() && link.uri().is_web() && app.site().is_some() {
            let known = app.site().map(|site| site.shown.clone()).unwrap_or_default();
            text.push_str(&format!(
                "\n{}\n",
                paint(FAINT, &format!("With --site {known} the website of elvask.toml is asked too."))
            ));
        }
        output.result(&text);
        Ok(Outcome::Clean)
    })
}

fn device_name(platform: Platform, device: Device, links: &AppLinks) -> String {
    match platform {
        // Of several variants, the first one is tried; --variant chooses another.
        Platform::Android => match links.android.as_slice() {
            [(variant, _), _, ..] => format!("level {}, {variant}", device.level),
            _ => format!("level {}", device.level),
        },
        Platform::Ios => device.version.to_string(),
    }
}

fn record(
    app: &App,
    link: &Link,
    attempts: &[(Platform, Attempt)],
    met: Option<&Met<'_>>,
    device: Device,
    state: Option<State>,
    links: &AppLinks,
) -> TryRecord {
    let of = |wanted: Platform| {
        let (_, attempt) = attempts.iter().find(|(platform, _)| *platform == wanted)?;
        let lines = commands(wanted, link, links, state);
        Some(AttemptRecord::of(
            &app.sources,
            attempt,
            PartsRecord::of(link, met),
            device_name(wanted, device, links),
            lines,
        ))
    };
    TryRecord {
        format: FORMAT,
        url: link.text().to_owned(),
        changes: link.changes.clone(),
        android: of(Platform::Android),
        ios: of(Platform::Ios),
    }
}

/// Says what opens, in the colour of how glad one may be of it.
pub(super) fn opens(outcome: Opens) -> String {
    match outcome {
        Opens::App => paint(GOOD, "opens the app"),
        Opens::Chooser => paint(WARNING, "shows a chooser"),
        Opens::Browser => paint(NOTE, "opens the browser"),
        Opens::Nothing => paint(ERROR, "opens nothing"),
    }
}

fn shown(
    app: &App,
    link: &Link,
    platform: Platform,
    attempt: &Attempt,
    device: Device,
    state: Option<State>,
    links: &AppLinks,
) -> String {
    let mut text = format!(
        "{} {}: {}\n",
        paint(HEADING, platform.title()),
        device_name(platform, device, links),
        opens(attempt.outcome)
    );
    let mut say = |label: &str, said: &str| {
        let body = wrap(&clean(said), width().min(120), 14);
        let body = body.trim_start();
        text.push_str(&format!("  {}{body}", paint(FAINT, &format!("{label:<12}"))));
    };
    for hit in &attempt.entries {
        let at = PlaceRecord::of(&app.sources, hit.place);
        let place = format!("{}:{}:{}", at.file, at.line, at.column);
        match &hit.component {
            Some(component) => say("entry", &format!("{component}  {place}")),
            None => say("entry", &place),
        }
    }
    say("because", &format!("{}.", attempt.because));
    if !attempt.choices.is_empty() {
        say("chooser", &attempt.choices.join(", "));
    }
    if link.uri().is_web() {
        say(
            "verified",
            match attempt.verified {
                Some(true) => "yes, the website vouches for the app",
                Some(false) => "no, the website does not vouch for the app, or is not asked to",
                None => "not known: no website was asked",
            },
        );
    }
    if let Some(delivery) = &attempt.delivery {
        let mut told = vec![
            (State::Closed, "closed", &delivery.closed),
            (State::Background, "background", &delivery.background),
            (State::Foreground, "foreground", &delivery.foreground),
        ];
        told.retain(|(known, _, _)| state.is_none_or(|state| state == *known));
        if state.is_none() && delivery.background == delivery.foreground {
            told.truncate(1);
            told.push((State::Foreground, "running", &delivery.foreground));
        }
        for (_, word, text) in told {
            say(word, &format!("{text}."));
        }
    }
    let stays = route::met(&app.config().links.routes, link).is_some_and(|met| met.route.stays_on_the_web());
    if stays && matches!(attempt.outcome, Opens::App | Opens::Chooser) {
        say("note", "elvask.toml means this link to stay in the browser.");
    }
    for note in &attempt.notes {
        say("note", &format!("{note}."));
    }
    text.push_str(&format!("  {}\n", paint(FAINT, "fire it with")));
    for line in commands(platform, link, links, state) {
        // A command line is never broken: it is there to be copied.
        text.push_str(&format!("    {}\n", clean(&line)));
    }
    text
}

/// Returns the command lines with which a person fires a link at a device.
fn commands(platform: Platform, link: &Link, links: &AppLinks, state: Option<State>) -> Vec<String> {
    let mut lines = Vec::new();
    match platform {
        Platform::Android => {
            let id = links.first_android().and_then(|android| android.id.clone());
            match (state, &id) {
                (Some(State::Closed), Some(id)) => lines.push(format!("adb shell am force-stop {id}")),
                (Some(State::Background), _) => lines.push("adb shell input keyevent KEYCODE_HOME".to_owned()),
                _ => {}
            }
            let start = "am start -W -a android.intent.action.VIEW -c android.intent.category.BROWSABLE -d";
            lines.push(match link.text().contains(['\'', '"', '$', '`', '!', '\\']) {
                // The line passes two shells: this machine's and the device's.
                true => format!("adb shell {}", quoted(&format!("{start} {}", quoted(link.text())))),
                false => format!("adb shell \"{start} '{}'\"", link.text()),
            });
            if let Some(id) = id.filter(|_| link.uri().is_web()) {
                lines.push(format!("adb shell pm get-app-links {id}"));
            }
        }
        Platform::Ios => {
            let bundle = links.ios.as_ref().and_then(|ios| ios.bundle.clone());
            match (state, bundle) {
                (Some(State::Closed), Some(id)) => lines.push(format!("xcrun simctl terminate booted {id}")),
                // No command leaves an app; the keys of the simulator's Home do.
                (Some(State::Background), _) => lines.push("# first Shift-Command-H in the simulator".to_owned()),
                _ => {}
            }
            lines.push(format!("xcrun simctl openurl booted {}", quoted(link.text())));
        }
    }
    lines
}

/// Quotes a word for a shell.
fn quoted(word: &str) -> String {
    format!("'{}'", word.replace('\'', "'\\''"))
}

fn parts(link: &Link, met: Option<&Met<'_>>, app: &App) -> String {
    let parts = link.parts();
    let mut rows: Vec<Vec<String>> = Vec::new();
    let mut row = |label: &str, value: String| rows.push(vec![paint(FAINT, label), clean(&value).into_owned()]);
    row("scheme", parts.scheme);
    if !parts.host.is_empty() {
        row("host", parts.host);
    }
    if let Some(port) = parts.port {
        row("port", port.to_string());
    }
    row("path", if parts.path.is_empty() { "(empty)".to_owned() } else { parts.path });
    for (at, segment) in parts.segments.iter().enumerate() {
        row(&format!("segment {}", at + 1), segment.clone());
    }
    for (name, values) in &parts.query {
        row("parameter", format!("{name} = {}", values.join(", ")));
    }
    if let Some(fragment) = parts.fragment {
        row("fragment", fragment);
    }
    let declared = !app.config().links.routes.is_empty();
    match met {
        Some(met) => {
            let with: Vec<_> = met.with.iter().map(|(name, value)| format!("{name} = {value}")).collect();
            let with = if with.is_empty() { String::new() } else { format!(", with {}", with.join(", ")) };
            let opens = if met.route.stays_on_the_web() {
                "stays in the browser".to_owned()
            } else {
                format!("opens {}", met.route.opens)
            };
            row("route", format!("{} {opens}{with}", met.route.path));
        }
        None if declared => row("route", "none of elvask.toml".to_owned()),
        None => {}
    }
    format!("\n{}\n{}", paint(HEADING, "Parts"), columns(&rows, 2))
}

fn table(options: &LinkTry, output: &Output) -> Done {
    with_links(&options.app.choice, output, |app, _, links| {
        let entries = links.table(&app.config().links.routes);
        if options.app.format == Format::Json {
            let entries = entries.iter().map(|entry| LinkEntryRecord::of(&app.sources, entry)).collect();
            output.json(&LinkTableRecord { format: FORMAT, entries });
            return Ok(Outcome::Clean);
        }
        if entries.is_empty() {
            output.result("No link opens the app: `elvask declare link https://marram.example/site/*` or `elvask declare scheme marram` declares one.\n");
            return Ok(Outcome::Clean);
        }
        let mut text = String::new();
        for platform in [Platform::Android, Platform::Ios] {
            let mut rows = vec![["takes", "a link to try", "entry", "where"].map(|head| paint(FAINT, head)).to_vec()];
            for entry in entries.iter().filter(|entry| entry.platform == platform) {
                let at = PlaceRecord::of(&app.sources, entry.place);
                let name = entry.component.as_deref().map_or("", |class| class.rsplit('.').next().unwrap_or(class));
                let verified = if entry.verified { "verified" } else { "" };
                let what = [name, verified].into_iter().filter(|word| !word.is_empty()).collect::<Vec<_>>().join(", ");
                rows.push(vec![
                    clean(&entry.takes).into_owned(),
                    clean(entry.example.as_deref().unwrap_or("—")).into_owned(),
                    what,
                    paint(FAINT, &format!("{}:{}", at.file.rsplit('/').next().unwrap_or(&at.file), at.line)),
                ]);
            }
            if rows.len() > 1 {
                text.push_str(&format!("{}\n{}\n", paint(HEADING, platform.title()), fitted(&rows, 2, 0)));
            }
        }
        text.push_str(&format!("{}\n", paint(FAINT, "`elvask link try LINK` tells what each opens, and why.")));
        output.result(&text);
        Ok(Outcome::Clean)
    })
}
