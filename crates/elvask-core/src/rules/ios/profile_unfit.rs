//! `profile-unfit`: a provisioning profile cannot sign the app.

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::source::Place;

use crate::account::covers;
use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Settings;
use crate::rules::Rule;
use crate::rules::support::accounts::{account, judged_profiles};
use crate::rules::support::identity::differs_at;

/// See the module.
pub struct ProfileUnfit;

static ABOUT: About = About {
    id: "profile-unfit",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a provisioning profile named in elvask/account.toml that cannot be read, has run out, or is for another app or team.",
    effect: "Signing fails, or the store refuses the upload.",
    wrong: "(a profile for example.marram.FieldLog, and an app example.marram.fieldlog)",
    right: "(a profile for example.marram.fieldlog)",
    remedy: "A person regenerates the profile in the developer account and puts it in the place of the old one.",
    source: "TN3125: Inside Code Signing: Provisioning Profiles",
};

impl Rule for ProfileUnfit {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn is_asked(&self, settings: &Settings) -> bool {
        settings.holds_accounts()
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let (Some((account, file)), Some(ios)) = (account(context), &context.app.ios) else { return };
        for given in &account.profiles {
            let Err(why) = &given.says else { continue };
            let place = Place { file, span: given.path.span };
            let steps = format!("Get the profile from the developer account and put it at {}.", given.path.text);
            let message = format!("{} {why}", given.path.text);
            out.push(Finding::new(&ABOUT, given.path.text.clone(), place, message).mend(Remedy::Manual(steps)));
        }
        for judged in judged_profiles(context) {
            let (profile, shown) = (judged.profile, judged.shown());
            let mut tell = |message: String, steps: String, level: Level, related: Option<Place>| {
                let mut finding = Finding::new(&ABOUT, judged.path, judged.place, message).level(level);
                finding.related = related.map(|place| (place, "stated here".to_owned()));
                out.push(finding.mend(Remedy::Manual(steps)));
            };
            let anew =
                |what: &str| format!("Make a profile {what} in the developer account, and put it at {}.", judged.path);
            let level = if judged.is_named_for_it { Level::Error } else { Level::Warning };
            if let (Some(id), Some(of)) = (&judged.signed.id.value, profile.app_id())
                && !covers(of, id)
            {
                let case = differs_at(id, of).map(|where_| format!(": {where_}")).unwrap_or_default();
                let message =
                    format!("the profile {shown} is for the app id {of}, and {} is {id}{case}", judged.signs());
                tell(message, anew(&format!("for {id}")), level, judged.signed.id.place);
            }
            let setting = context.surface.settings().and_then(|settings| settings.value("DEVELOPMENT_TEAM")?.value);
            let team = context.app.config.identity.ios_team.as_ref().map(|team| team.text.clone()).or(setting);
            if let Some(team) = team.filter(|team| !profile.teams.is_empty() && !profile.teams.contains(team)) {
                let of = profile.teams.join(", ");
                let message = format!("the profile {shown} is of the team {of}, and the app is signed by {team}");
                tell(message, anew(&format!("of the team {team}")), level, None);
            }
            if let (Some(until), Some(today)) = (&profile.until, &context.settings.today)
                && until < today
            {
                tell(format!("the profile {shown} ran out on {until}"), anew("that is valid"), Level::Error, None);
            }
            if context.settings.release && judged.is_named_for_it && profile.is_for_development() {
                let devices = match profile.devices {
                    Some(1) => " and one device".to_owned(),
                    Some(count) => format!(" and {count} devices"),
                    None => String::new(),
                };
                let message =
                    format!("the profile {shown} is for development{devices}, and {} ships", ios.configuration);
                tell(message, anew("for the store"), Level::Error, None);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "profile-unfit";

    fn with(name: &str) -> Fixture {
        Fixture::registered(
            "",
            &format!("[[ios.profiles]]\nfile = \"{name}.mobileprovision\"\nconfiguration = \"Release\"\n"),
        )
    }

    #[test]
    fn what_has_run_out_or_is_for_another_app_is_told() {
        assert!(with("store").found(ID).is_empty());
        let mut past = with("past");
        past.settings.today = Some("2026-11-28".to_owned());
        let messages: Vec<_> = past.findings(ID).into_iter().map(|finding| finding.message).collect();
        assert_eq!(
            messages,
            [
                "the profile Marram Old (past.mobileprovision) is for the app id example.marram.FieldLog, and the app is example.marram.fieldlog: letter 16 is `f` here and `F` there",
                "the profile Marram Old (past.mobileprovision) ran out on 2025-01-05",
            ]
        );
    }

    #[test]
    fn a_profile_for_development_does_not_ship() {
        let mut app = with("development");
        assert!(app.found(ID).is_empty(), "its app id ends with a star");
        app.settings.release = true;
        assert_eq!(
            app.findings(ID)[0].message,
            "the profile Marram Development (development.mobileprovision) is for development and 2 devices, and Release ships"
        );
    }

    #[test]
    fn what_cannot_be_read_is_told_and_nothing_else_is_made_of_it() {
        assert_eq!(with("nowhere").findings(ID)[0].message, "nowhere.mobileprovision is not there");
        let damaged = with("odd").file("odd.mobileprovision", "<plist/>");
        assert!(
            damaged.findings(ID)[0].message.starts_with("odd.mobileprovision is no provisioning profile: "),
            "{}",
            damaged.findings(ID)[0].message
        );
    }
}
