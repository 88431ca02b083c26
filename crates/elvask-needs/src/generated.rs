//! Platform files that the tools of a layout make of another document: the document is what a person writes, and what is judged and
//! mended.
//!
//! Such a document has no manifest of its own that the rules could look at. So the manifest, the property list and the entitlements
//! that the tools would make are made here, in memory, with the origin of each part (`draft`). Rules judge those as they judge
//! any; what they find leads back by the origins, and what they would write is turned into what a person would write into the
//! document (`changes`, and a writer for each document).

pub mod appjson;
pub(crate) mod changes;
pub(crate) mod draft;
pub mod widget;

use changes::{Change, KeyChange};
use draft::Draft;
use elvask_markup::plist::PropertyList;
use elvask_markup::xml::Document;
use elvask_markup::{Edit, EditSet};
use elvask_project::appfiles::{AppFiles, Generated};
use elvask_project::layout::Layout;
use elvask_project::source::{FileId, Place, Sources};

use crate::remedy::Remedy;

/// The platform files that the tools make of a document.
#[derive(Debug, Clone)]
pub struct Made {
    /// The manifest.
    pub manifest: Draft,
    /// The property list.
    pub plist: Draft,
    /// The entitlements.
    pub entitlements: Draft,
}

/// Which of the platform files is meant.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Which {
    /// The manifest.
    Manifest,
    /// The property list.
    Plist,
    /// The entitlements.
    Entitlements,
}

/// What is written into the document for edits of a platform file.
pub enum Written {
    /// Edits of the document, and the thing that they make so that others can go into it.
    Edits(Vec<(FileId, Vec<Edit>)>, Option<String>),
    /// Steps for a person: the document has no words for it.
    Steps(String),
}

/// A kind of document that platform files are made of: how they are made, and how it is written.
pub(crate) trait Maker: Sync {
    /// Returns the layout whose tools make them.
    fn layout(&self) -> Layout;

    /// Returns the platform files as the tools would make them; `None` where the document cannot be read.
    fn made(&self, generated: &Generated, sources: &Sources) -> Option<Made>;

    /// Writes changes of the manifest.
    fn write_manifest(&self, generated: &Generated, sources: &Sources, made: &Made, changes: &[Change]) -> Written;

    /// Writes changes of the property list or of the entitlements, which `draft` is.
    fn write_list(
        &self,
        generated: &Generated,
        sources: &Sources,
        draft: &Draft,
        which: Which,
        changes: &[KeyChange],
    ) -> Written;

    /// Returns what states a level, or a version of iOS; `None` where the document has no words for it.
    fn write_level(&self, generated: &Generated, sources: &Sources, name: &str, value: &str) -> Option<Vec<Edit>>;
}

/// All kinds of document that platform files are made of.
static MAKERS: [&dyn Maker; 2] = [&widget::Config, &appjson::Json];

fn maker(generated: &Generated) -> Option<&'static dyn Maker> {
    MAKERS.into_iter().find(|maker| maker.layout() == generated.layout)
}

/// Returns the platform files as the tools would make them of the document as it is in `sources`.
pub fn made(generated: &Generated, sources: &Sources) -> Option<Made> {
    maker(generated)?.made(generated, sources)
}

/// Returns the texts with the platform files made anew; `None` where the app has none that are made.
#[must_use]
pub fn anew(app: &AppFiles, sources: &Sources) -> Option<Sources> {
    let generated = app.generated.as_ref()?;
    let made = made(generated, sources)?;
    let mut texts = sources.clone();
    for (file, draft) in files(generated, &made) {
        texts.replace(file, draft.text());
    }
    Some(texts)
}

fn files<'m>(generated: &Generated, made: &'m Made) -> impl Iterator<Item = (FileId, &'m Draft)> {
    let all = [
        (generated.manifest, &made.manifest),
        (generated.plist, &made.plist),
        (generated.entitlements, &made.entitlements),
    ];
    all.into_iter().filter_map(|(file, draft)| Some((file?, draft)))
}

fn which(generated: &Generated, file: FileId) -> Option<Which> {
    let file = Some(file);
    if generated.manifest == file {
        Some(Which::Manifest)
    } else if generated.plist == file {
        Some(Which::Plist)
    } else if generated.entitlements == file {
        Some(Which::Entitlements)
    } else {
        None
    }
}

/// The way back from made files to the document.
pub struct Home<'h> {
    generated: &'h Generated,
    made: Made,
    /// The texts, made files among them.
    sources: &'h Sources,
}

impl<'h> Home<'h> {
    /// Prepares the way back; `None` where the app has no files that are made.
    pub fn new(app: &'h AppFiles, sources: &'h Sources) -> Option<Self> {
        let generated = app.generated.as_ref()?;
        Some(Home { generated, made: made(generated, sources)?, sources })
    }

    fn draft(&self, which: Which) -> &Draft {
        match which {
            Which::Manifest => &self.made.manifest,
            Which::Plist => &self.made.plist,
            Which::Entitlements => &self.made.entitlements,
        }
    }

    /// Returns the place in the document that a place in a made file comes from.
    pub fn place(&self, place: Place) -> Place {
        let Some(which) = which(self.generated, place.file) else { return place };
        let draft = self.draft(which);
        let top = Place { file: self.generated.source, span: elvask_markup::Span::at(0) };
        draft.home(place.span).or(draft.origin()).unwrap_or(top)
    }

    /// Turns edits of made files into edits of the document.
    pub fn edits(&self, edits: &[(FileId, Vec<Edit>)]) -> Written {
        let mut out: Vec<(FileId, Vec<Edit>)> = Vec::new();
        let mut makes = None;
        for (file, edits) in edits {
            let Some(which) = which(self.generated, *file) else {
                put(&mut out, *file, edits.clone());
                continue;
            };
            // Entitlements are made for the desk and for the store: what is written for one of them is for both.
            let twice = which == Which::Entitlements && self.generated.layout == Layout::Widget;
            if let Some(same) = self.same(which, edits).filter(|_| !twice) {
                same.into_iter().for_each(|(file, edit)| put(&mut out, file, vec![edit]));
                continue;
            }
            match self.meant(which, *file, edits) {
                Written::Edits(edits, made) => {
                    edits.into_iter().for_each(|(file, edits)| put(&mut out, file, edits));
                    makes = makes.or(made);
                }
                steps @ Written::Steps(_) => return steps,
            }
        }
        Written::Edits(out, makes)
    }

    /// Returns the same edits in the document, where all of them are of bytes that come from it.
    fn same(&self, which: Which, edits: &[Edit]) -> Option<Vec<(FileId, Edit)>> {
        let draft = self.draft(which);
        let one = |edit: &Edit| {
            let place = draft.same(elvask_markup::Span::new(edit.start, edit.end))?;
            let edit = Edit { start: place.span.start, end: place.span.end, insert: edit.insert.clone() };
            // What a package brings along is not the app's to write.
            (place.file == self.generated.source).then_some((place.file, edit))
        };
        edits.iter().map(one).collect()
    }

    /// Finds out what edits mean, and writes that.
    fn meant(&self, which: Which, file: FileId, edits: &[Edit]) -> Written {
        let text = &self.sources.file(file).text;
        let unknown =
            || Written::Steps("This has no place in the document that the platform files are made of.".to_owned());
        let mut set = EditSet::default();
        if set.add(edits).is_err() {
            return unknown();
        }
        let Ok(after) = set.apply(text) else { return unknown() };
        if which == Which::Manifest {
            let documents = Document::parse(text.clone()).and_then(|before| Ok((before, Document::parse(after)?)));
            let Ok((before, after)) = documents else { return unknown() };
            return self.write_manifest(&changes::of_manifest(&before, &after));
        }
        let lists = PropertyList::parse(text.clone()).and_then(|before| Ok((before, PropertyList::parse(after)?)));
        let Ok((before, after)) = lists else { return unknown() };
        self.write_list(which, &changes::of_list(&before, &after))
    }

    fn write_manifest(&self, changes: &[Change]) -> Written {
        match maker(self.generated) {
            Some(maker) => maker.write_manifest(self.generated, self.sources, &self.made, changes),
            None => Written::Steps(String::new()),
        }
    }

    fn write_list(&self, which: Which, changes: &[KeyChange]) -> Written {
        match maker(self.generated) {
            Some(maker) => maker.write_list(self.generated, self.sources, self.draft(which), which, changes),
            None => Written::Steps(String::new()),
        }
    }

    /// Turns a remedy for made files into one for the document.
    pub fn remedy(&self, remedy: &Remedy) -> Remedy {
        let Remedy::Edit { title, edits, makes } = remedy else { return remedy.clone() };
        if edits.iter().all(|(file, _)| which(self.generated, *file).is_none()) {
            return remedy.clone();
        }
        match self.edits(edits) {
            Written::Edits(edits, made) => Remedy::Edit { title: title.clone(), edits, makes: made.or(makes.clone()) },
            Written::Steps(steps) => Remedy::Manual(steps),
        }
    }
}

fn put(all: &mut Vec<(FileId, Vec<Edit>)>, file: FileId, edits: Vec<Edit>) {
    match all.iter_mut().find(|(known, _)| *known == file) {
        Some((_, known)) => known.extend(edits),
        None => all.push((file, edits)),
    }
}

/// Returns what states a level, or a version of iOS, in the document that platform files are made of; `None` where they are not
/// made.
pub(crate) fn state_level(scene_app: &AppFiles, sources: &Sources, name: &str, value: &str) -> Option<Remedy> {
    let generated = scene_app.generated.as_ref()?;
    let (title, by_hand) = (format!("raise it to {value}"), format!("Raise {name} to {value}"));
    let edits = maker(generated)?.write_level(generated, sources, name, value);
    Some(match edits {
        Some(edits) => Remedy::edit(title, generated.source, edits).making(name),
        None => Remedy::Manual(format!("{by_hand} where the tools that make the platform folders take it from.")),
    })
}
