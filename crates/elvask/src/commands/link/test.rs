//! `elvask link test`.

use elvask_link::association::Website;
use elvask_link::expect::{self, Expectations, Tested};
use elvask_record::{FORMAT, LinkTestRecord, PlaceRecord, TestedRecord};

use super::{device, site, with_links};
use crate::commands::{Done, Outcome};
use crate::options::Format;
use crate::options::link::LinkTest;
use crate::output::{Failure, Output};
use crate::render::style::{ERROR, FAINT, GOOD, paint};
use crate::render::{clean, count, width, wrap};

pub(crate) fn run(options: &LinkTest, output: &Output) -> Done {
    with_links(&options.app.choice, output, |app, context, links| {
        if app.config().links.tests.is_empty() {
            return Err(Failure::new("elvask.toml has no expectations").hint("add one: [[links.tests]] with url = \"https://…\" and opens = \"browser\", \"app\" or what a route opens"));
        }
        let device = device(&options.look, app)?;
        let site = site(options.look.site.as_deref(), app, true)?;
        let asked = site.as_ref().map(|site| site as &dyn Website);
        if let Some(site) = &site {
            site.prepare(&links.hosts());
        }
        let (links_said, file) = (&app.config().links, app.config_file());
        let expected = Expectations { tests: &links_said.tests, routes: &links_said.routes, file };
        let tested = expect::run(expected, links, context.sources, device, asked);
        let failed = tested.iter().filter(|one| one.failure.is_some()).count();
        let passed = tested.len() - failed;
        let outcome = if failed == 0 { Outcome::Clean } else { Outcome::Found };
        let shown = options.look.site.clone().or_else(|| Some(app.site()?.shown.clone()));
        if options.app.format == Format::Json {
            let tests = tested.iter().map(|one| TestedRecord::of(&app.sources, one)).collect();
            output.json(&LinkTestRecord { format: FORMAT, site: shown, tests, passed, failed });
            return Ok(outcome);
        }
        let mut text = String::new();
        for group in tested.chunk_by(|one, other| std::ptr::eq(one.test, other.test)) {
            let at = group.first().and_then(|one| one.place).map(|place| PlaceRecord::of(&app.sources, place));
            text.push_str(&line(group, at.as_ref(), output.quiet));
            for one in group.iter().filter(|one| one.failure.is_some()) {
                let variant = one.variant.as_ref().map(|name| format!(" {name}")).unwrap_or_default();
                let why = format!("{}{variant}: {}.", one.platform.title(), one.failure.as_deref().unwrap_or_default());
                text.push_str(&wrap(&clean(&why), width().min(120), 6));
            }
        }
        let site = shown.map_or("no website was asked".to_owned(), |site| format!("the website is {site}"));
        let sum = format!("{} met, {} not; {site}.", count(passed, "expectation"), failed);
        text.push_str(&format!("{}\n", paint(if failed == 0 { GOOD } else { ERROR }, &clean(&sum))));
        output.result(&text);
        Ok(outcome)
    })
}

fn line(group: &[Tested<'_>], at: Option<&PlaceRecord>, quiet: bool) -> String {
    let Some(first) = group.first() else { return String::new() };
    let failed = group.iter().any(|one| one.failure.is_some());
    if quiet && !failed {
        return String::new();
    }
    let mark = if failed { paint(ERROR, "  no") } else { paint(GOOD, " yes") };
    let at = at.filter(|_| failed).map(|at| format!("   {}:{}", at.file, at.line)).unwrap_or_default();
    let wanted = paint(FAINT, &format!("→ {}{at}", clean(&first.test.opens.text)));
    format!("{mark}  {}  {wanted}\n", clean(&first.test.url.text))
}
