//! The JSON of `survey` and `why`.

use super::*;

/// One thing that the app declares.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DeclarationRecord {
    /// Where.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Platform"))]
    pub platform: Platform,
    /// Its kind.
    pub kind: &'static str,
    /// What identifies it.
    pub name: String,
    /// Its value.
    pub value: Option<String>,
    /// Where it stands.
    #[serde(flatten)]
    pub place: PlaceRecord,
    /// The plugins that need it.
    pub needed_by: Vec<NeededByRecord>,
    /// Of permissions: how the app comes by it.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "schema", schemars(with = "Option<crate::words::Grant>"))]
    pub grant: Option<Grant>,
    /// Of permissions that are asked for: their group.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub group: Option<&'static str>,
    /// Why the platform does not see it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub ignored: Option<&'static str>,
    /// What is odd about it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub doubt: Option<&'static str>,
    /// The source set, plugin or setting that it comes from, where that is not the main one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub origin: Option<String>,
    /// Weaker values that it won over.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub overrode: Vec<ValueRecord>,
    /// The variants or configurations that have it, where not all have.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub only_in: Vec<String>,
    /// Of purposes and names: the texts in other languages.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub translations: Vec<TranslationRecord>,
}

/// A value with its place.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ValueRecord {
    /// The value.
    pub value: String,
    /// Where it stands.
    #[serde(flatten)]
    pub place: PlaceRecord,
}

/// A text in one language.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct TranslationRecord {
    /// The language.
    pub language: String,
    /// The text.
    pub text: String,
    /// Where it stands.
    #[serde(flatten)]
    pub place: PlaceRecord,
}

impl DeclarationRecord {
    fn of(sources: &Sources, one: &Declaration) -> Self {
        DeclarationRecord {
            platform: one.platform,
            kind: one.kind,
            name: one.name.clone(),
            value: one.value.clone(),
            place: PlaceRecord::of(sources, one.place),
            needed_by: one.needed_by.iter().map(NeededByRecord::of).collect(),
            grant: one.grant,
            group: one.group,
            ignored: one.ignored,
            doubt: one.doubt,
            origin: one.origin.clone(),
            overrode: one
                .overrode
                .iter()
                .map(|(value, place)| ValueRecord { value: value.clone(), place: PlaceRecord::of(sources, *place) })
                .collect(),
            only_in: one.only_in.clone(),
            translations: one
                .translations
                .iter()
                .map(|(language, text, place)| TranslationRecord {
                    language: language.clone(),
                    text: text.clone(),
                    place: PlaceRecord::of(sources, *place),
                })
                .collect(),
        }
    }
}

/// A component that something outside the app can start.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct EntryPointRecord {
    /// The kind of component.
    pub kind: String,
    /// The full class name.
    pub class: String,
    /// Whether the launcher starts it.
    pub launcher: bool,
    /// The permission that whoever starts it must hold.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub guarded_by: Option<String>,
    /// The source set or plugin that it comes from, where that is not the main one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub origin: Option<String>,
    /// Where it stands.
    #[serde(flatten)]
    pub place: PlaceRecord,
}

/// A plugin of the app.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PluginRecord {
    /// Its name.
    pub plugin: String,
    /// Its installed version.
    pub version: Option<String>,
    /// The file that says what it needs; null where nothing is known.
    pub sheet: Option<String>,
}

/// What `survey` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SurveyRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The app.
    pub app: AppRecord,
    /// Its plugins.
    pub plugins: Vec<PluginRecord>,
    /// What can be started from outside.
    pub entry_points: Vec<EntryPointRecord>,
    /// What the platform sees.
    pub declarations: Vec<DeclarationRecord>,
    /// What stands in the files and is not seen.
    pub ignored: Vec<DeclarationRecord>,
    /// What a hybrid app's `config.xml` says.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub widget: Option<WidgetRecord>,
    /// What cannot be known without running the build.
    pub unresolved: Vec<UnresolvedRecord>,
}

/// Something that cannot be known without running the build.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct UnresolvedRecord {
    /// What.
    pub message: String,
    /// Where it is stated.
    #[serde(flatten)]
    pub place: PlaceRecord,
}

/// What a `config.xml` says.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WidgetRecord {
    /// The id.
    pub id: Option<String>,
    /// The version.
    pub version: Option<String>,
    /// The name.
    pub name: Option<String>,
    /// What it is.
    pub description: Option<String>,
    /// Who made it.
    pub author: Option<String>,
    /// The platforms that it names.
    #[cfg_attr(feature = "schema", schemars(with = "Vec<crate::words::Platform>"))]
    pub platforms: Vec<Platform>,
    /// What else it declares.
    pub declarations: Vec<WidgetDeclarationRecord>,
}

/// One declaration of a `config.xml`.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WidgetDeclarationRecord {
    /// Its kind.
    pub kind: &'static str,
    /// What it is about.
    pub name: String,
    /// Its value.
    pub value: Option<String>,
    /// The platform that it is for; null for all.
    #[cfg_attr(feature = "schema", schemars(with = "Option<crate::words::Platform>"))]
    pub platform: Option<Platform>,
    /// Where it stands.
    #[serde(flatten)]
    pub place: PlaceRecord,
}

impl WidgetRecord {
    fn of(sources: &Sources, widget: &Widget) -> Self {
        let text = |said: &Option<Said>| said.as_ref().map(|said| said.text.clone());
        let declaration = |one: &WidgetDeclaration| WidgetDeclarationRecord {
            kind: one.kind,
            name: one.name.clone(),
            value: one.value.clone(),
            platform: one.platform,
            place: PlaceRecord::of(sources, one.place),
        };
        WidgetRecord {
            id: text(&widget.id),
            version: text(&widget.version),
            name: text(&widget.name),
            description: text(&widget.description),
            author: text(&widget.author),
            platforms: widget.platforms.clone(),
            declarations: widget.declares.iter().map(declaration).collect(),
        }
    }
}

/// What `survey --variants` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct VariantsRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The names of the variants.
    pub variants: Vec<String>,
    /// What they differ in.
    pub differences: Vec<DifferenceRecord>,
}

/// Something in which variants differ.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DifferenceRecord {
    /// The element.
    pub element: String,
    /// Its name, and that of the attribute where only that differs.
    pub name: String,
    /// What each variant has, in their order; null where it has none.
    pub values: Vec<Option<String>>,
}

impl VariantsRecord {
    /// Turns what differs into a record.
    #[must_use]
    pub fn of(variants: &[String], differences: &[Difference]) -> Self {
        let one = |one: &Difference| DifferenceRecord {
            element: one.element.clone(),
            name: one.name.clone(),
            values: one.values.clone(),
        };
        VariantsRecord {
            format: FORMAT,
            variants: variants.to_vec(),
            differences: differences.iter().map(one).collect(),
        }
    }
}

impl SurveyRecord {
    /// Turns a survey into a record.
    #[must_use]
    pub fn of(app: &App, survey: &Survey) -> Self {
        let sources = &app.sources;
        let of = |ignored: bool| {
            let listed = survey.declarations.iter().filter(move |one| one.ignored.is_some() == ignored);
            listed.map(|one| DeclarationRecord::of(sources, one)).collect()
        };
        let entry_point = |one: &elvask_core::survey::EntryPoint| EntryPointRecord {
            kind: one.kind.clone(),
            class: one.class.clone(),
            launcher: one.launcher,
            guarded_by: one.guarded_by.clone(),
            origin: one.origin.clone(),
            place: PlaceRecord::of(sources, one.place),
        };
        let plugin = |plugin: &elvask_core::app::Plugin| PluginRecord {
            plugin: plugin.name.clone(),
            version: plugin.version.clone(),
            sheet: plugin.sheet.as_ref().map(|found| sources.file(found.file).shown.clone()),
        };
        SurveyRecord {
            format: FORMAT,
            app: AppRecord::of(app),
            plugins: app.plugins().iter().map(plugin).collect(),
            entry_points: survey.entry_points.iter().map(entry_point).collect(),
            declarations: of(false),
            ignored: of(true),
            widget: app.widget.as_ref().map(|widget| WidgetRecord::of(sources, widget)),
            unresolved: survey
                .unresolved
                .iter()
                .map(|one| UnresolvedRecord { message: one.what.clone(), place: PlaceRecord::of(sources, one.place) })
                .collect(),
        }
    }
}

/// What `why` prints of one thing.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WhyRecord {
    /// Where.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Platform"))]
    pub platform: Platform,
    /// Its kind.
    pub kind: &'static str,
    /// What identifies it.
    pub name: String,
    /// What exactly is needed.
    pub detail: Option<String>,
    /// Who needs it.
    pub needed_by: Vec<WhoRecord>,
    /// Where it is declared.
    pub declared: Vec<PlaceRecord>,
    /// What a check finds about it: rule ids.
    pub findings: Vec<&'static str>,
}

/// Who needs something, with how sure that is.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WhoRecord {
    /// Who.
    #[serde(flatten)]
    pub who: NeededByRecord,
    /// How sure.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Strength"))]
    pub strength: Strength,
}

impl WhyRecord {
    /// Turns an answer into a record.
    #[must_use]
    pub fn of(sources: &Sources, answer: &Answer) -> Self {
        let who = |(needed, strength, _): &(NeededBy, Strength, bool)| WhoRecord {
            who: NeededByRecord::of(needed),
            strength: *strength,
        };
        WhyRecord {
            platform: answer.platform,
            kind: answer.kind,
            name: answer.name.clone(),
            detail: answer.detail.clone(),
            needed_by: answer.needed_by.iter().map(who).collect(),
            declared: answer.declared.iter().map(|one| PlaceRecord::of(sources, one.place)).collect(),
            findings: answer.findings.iter().map(|finding| finding.rule.id).collect(),
        }
    }
}
