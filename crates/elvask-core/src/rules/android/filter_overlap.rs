//! `filter-overlap`: two entries of the app take the same link.

use elvask_link::filter::{Filter, Intent};
use elvask_link::url::Link;
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_platform::android::NEWEST_LEVEL;

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
    effect: "Tapping such a link shows a chooser with the app in it twice, though its host is verified.",
    wrong: "<activity android:name=\".MainActivity\" …> … <data android:scheme=\"marram\" /> … </activity>\n<activity android:name=\".SiteActivity\" …> … <data android:scheme=\"marram\" /> … </activity>",
    right: "<activity android:name=\".MainActivity\" …> … <data android:scheme=\"marram\" /> … </activity>",
    remedy: "Left to a person: only they know which of the two is to open. Take the filter out of the other one, or give the two different hosts or paths.",
    source: "Intents and intent filters",
};

impl Rule for FilterOverlap {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(links) = context.links().first_android() else { return };
        let level = NEWEST_LEVEL;
        let routes = &context.app.config.links.routes;
        let open: Vec<_> = links.link_filters().filter(|(entry, _)| links.closed(entry).is_none()).collect();
        let mut told: Vec<(&str, &str)> = Vec::new();
        for (entry, filter) in &open {
            for link in
                elvask_link::entries::examples(filter, routes).iter().filter_map(|example| Link::parse(example).ok())
            {
                let uri = link.uri();
                let takes = |spec| {
                    Filter::at_level(spec, level).is_ok_and(|filter| filter.matches(&Intent::link(&uri)).is_ok())
                };
                if !takes(filter) {
                    continue;
                }
                let others = open.iter().filter(|(other, spec)| {
                    other.component != entry.component && spec.priority.min(0) == filter.priority.min(0) && takes(spec)
                });
                for (other, spec) in others {
                    let pair = (
                        entry.component.as_str().min(&other.component),
                        entry.component.as_str().max(&other.component),
                    );
                    if told.contains(&pair) {
                        continue;
                    }
                    told.push(pair);
                    let short = |class: &str| class.rsplit('.').next().unwrap_or(class).to_owned();
                    let message = format!(
                        "{} and {} both take {}",
                        short(&entry.component),
                        short(&other.component),
                        link.text()
                    );
                    let place = spec.place.unwrap_or(other.place);
                    let steps = format!(
                        "Take the filter out of {} or of {}, or give the two different hosts or paths.",
                        short(&entry.component),
                        short(&other.component)
                    );
                    out.push(
                        Finding::new(&ABOUT, other.component.clone(), place, message)
                            .related(filter.place.unwrap_or(entry.place), "taken here too")
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
}
