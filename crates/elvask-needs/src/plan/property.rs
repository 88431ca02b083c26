//! Edits of the properties of an MSBuild project.

use elvask_markup::{Edit, Span};
use elvask_project::layout::Layout;
use elvask_project::scene::Scene;
use elvask_project::source::Place;

use crate::remedy::Remedy;

/// Returns what raises a level or version that a property states for one platform; `None` where no such property does, where it holds
/// for both platforms, or where it is not a plain number.
pub(crate) fn raise(scene: &Scene<'_>, place: Place, to: &str) -> Option<Remedy> {
    let app = scene.app;
    let shared = app.android.as_ref().and_then(|android| android.min_level.place)
        == app.ios.as_ref().and_then(|ios| ios.min_version.place);
    let shown = &app.sources.file(place.file).shown;
    let project = [".csproj", ".props"].iter().any(|ending| shown.ends_with(ending)) && !shown.starts_with("..");
    if !app.layouts.contains(&Layout::Msbuild) || shared || !project {
        return None;
    }
    let text = app.sources.text_at(place);
    let number = text.trim();
    if number.is_empty() || !number.chars().all(|letter| letter.is_ascii_digit() || letter == '.') {
        return None;
    }
    let start = place.span.start + text.find(number)?;
    // A level is written with a zero behind it in this property.
    let to = if number.contains('.') && !to.contains('.') { format!("{to}.0") } else { to.to_owned() };
    let edit = Edit::replace(Span::new(start, start + number.len()), to.clone());
    Some(Remedy::edit(format!("raise it to {to}"), place.file, vec![edit]))
}
