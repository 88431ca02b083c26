//! `filter-overlap`: two entries of the app take the same link.

use std::collections::HashSet;

use elvask_link::filter::Filter;
use elvask_link::index::FilterSet;
use elvask_link::url::Link;
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_platform::release::newest_level;
use elvask_project::filters::{Entry, FilterSpec};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct FilterOverlap;

static ABOUT: About = About {
    id: "filter-overlap",
    level: Level::Warning,
    platform: Some(Platform::Android),
    summary: "Reports two activities or aliases of the app that take the same link.",
    effect: "A tap shows a chooser that lists the app twice, although the host is verified.",
    wrong: "<activity android:name=\".MainActivity\" …> … <data android:scheme=\"marram\" /> … </activity>\n<activity android:name=\".SiteActivity\" …> … <data android:scheme=\"marram\" /> … </activity>",
    right: "<activity android:name=\".MainActivity\" …> … <data android:scheme=\"marram\" /> … </activity>",
    remedy: "Left to a person: only they know which of the two is to open. Remove the filter from the other one, or give the two different hosts or paths.",
    source: "Intents and intent filters",
};

impl Rule for FilterOverlap {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(links) = context.links().first_android() else { return };
        let routes = &context.app.config.links.routes;
        let open = links.link_filters().filter(|(entry, _)| links.closed(entry).is_none());
        let read = open.filter_map(|one| Some((one, Filter::at_level(one.1, newest_level()).ok()?)));
        let (open, filters): (Vec<(&Entry, &FilterSpec)>, Vec<Filter>) = read.unzip();
        let set = FilterSet::new(filters);
        let mut told: HashSet<(&str, &str)> = HashSet::new();
        let mut tried: HashSet<(String, i32)> = HashSet::new();
        let mut takers = Vec::new();
        for (_, filter) in &open {
            let priority = filter.priority.min(0);
            for example in elvask_link::entries::examples(filter, routes) {
                let Ok(link) = Link::parse(&example) else { continue };
                if !tried.insert((example, priority)) {
                    continue;
                }
                set.matching(&link.uri(), &mut takers);
                let of_all = takers.iter().filter_map(|at| open.get(*at));
                let mut alike = of_all.filter(|(_, spec)| spec.priority.min(0) == priority);
                // All but the first are told, each beside the first: one to keep, and what is too many.
                let Some((first, kept)) = alike.next() else { continue };
                for (other, spec) in alike.filter(|(other, _)| other.component != first.component) {
                    let names = (first.component.as_str(), other.component.as_str());
                    if told.contains(&(names.1, names.0)) || !told.insert(names) {
                        continue;
                    }
                    let short = |class: &str| class.rsplit('.').next().unwrap_or(class).to_owned();
                    let (one, two) = (short(&first.component), short(&other.component));
                    let message = format!("{one} and {two} both take {}", link.text());
                    let steps =
                        format!("Remove the filter from {one} or {two}, or give the two different hosts or paths.");
                    let place = spec.place.unwrap_or(other.place);
                    out.push(
                        Finding::new(&ABOUT, other.component.clone(), place, message)
                            .related(kept.place.unwrap_or(first.place), "taken here too")
                            .mend(Remedy::Manual(steps)),
                    );
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "filter-overlap";

    fn app(one: &str, other: &str) -> Fixture {
        let activity = |name: &str, data: &str| {
            format!(
                "<activity android:name=\".{name}\" android:exported=\"true\"><intent-filter><action android:name=\"android.intent.action.VIEW\"/><category android:name=\"android.intent.category.DEFAULT\"/><category android:name=\"android.intent.category.BROWSABLE\"/><data {data}/></intent-filter></activity>\n"
            )
        };
        Fixture::android(&format!(
            "<application>\n{}{}</application>\n",
            activity("Main", one),
            activity("Site", other)
        ))
    }

    #[test]
    fn a_link_that_two_activities_take_is_told() {
        let found = app("android:scheme=\"marram\"", "android:scheme=\"marram\" android:host=\"site\"").findings(ID);
        assert_eq!(found.len(), 1, "{found:?}");
        assert!(
            found[0].message.starts_with("Site and Main both take marram://site")
                || found[0].message.starts_with("Main and Site both take marram://"),
            "{}",
            found[0].message
        );
        assert!(
            app("android:scheme=\"marram\" android:host=\"ring\"", "android:scheme=\"marram\" android:host=\"site\"")
                .found(ID)
                .is_empty()
        );
    }

    #[test]
    fn of_many_that_take_a_link_all_but_the_first_are_told() {
        let activity = |at: usize| {
            format!(
                "<activity android:name=\".A{at}\" android:exported=\"true\"><intent-filter><action android:name=\"android.intent.action.VIEW\"/><category android:name=\"android.intent.category.DEFAULT\"/><category android:name=\"android.intent.category.BROWSABLE\"/><data android:scheme=\"marram\"/></intent-filter></activity>\n"
            )
        };
        let all: String = (0..40).map(activity).collect();
        let found = Fixture::android(&format!("<application>\n{all}</application>\n")).findings(ID);
        assert_eq!(found.len(), 39);
        assert!(found.iter().all(|one| one.message.starts_with("A0 and A")), "{}", found[0].message);
    }
}
