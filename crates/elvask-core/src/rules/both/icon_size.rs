//! `icon-size`: an icon or a start-up picture has another size than it should, or parts that are seen through.

use elvask_needs::remedy::Remedy;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::icons::{Header, Look, Picture};
use crate::rules::Rule;

/// See the module.
pub struct IconSize;

static ABOUT: About = About {
    id: "icon-size",
    level: Level::Warning,
    platform: None,
    summary: "Reports an icon or a start-up picture of another size than its place wants, and an icon of the store with transparent parts.",
    effect: "The icon is blurred, or left out by the build.",
    wrong: "mipmap-xxhdpi/ic_launcher.png of 48 by 48 pixels",
    right: "mipmap-xxhdpi/ic_launcher.png of 144 by 144 pixels",
    remedy: "A person draws the picture in its size.",
    source: "Configuring your app icon using an asset catalog; Create app icons",
};

impl Rule for IconSize {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for picture in &context.app.icons.pictures {
            let Look::Is(header) = picture.look else { continue };
            let mut tell = |level: Level, (message, effect, steps): (String, &str, String)| {
                let mut finding = Finding::new(&ABOUT, picture.file.clone(), picture.named, message)
                    .level(level)
                    .effect(effect)
                    .mend(Remedy::Manual(steps));
                finding.platform = picture.platform;
                out.push(finding);
            };
            if let Some((level, told)) = size(picture, header) {
                tell(level, told);
            }
            if picture.opaque && header.see_through == Some(true) {
                // While the app is made, nobody looks at it.
                let level = if context.settings.release { Level::Error } else { Level::Warning };
                let message = format!("{} ({}) has a channel for transparent parts", picture.what, picture.file);
                let steps = "Save it without that channel, on a ground of its own.".to_owned();
                tell(level, (message, "The store refuses the upload (code 90717).", steps));
            }
        }
    }
}

/// Returns what there is to tell of the size of a picture: what is wrong, what happens, what mends it.
fn size(picture: &Picture, header: Header) -> Option<(Level, (String, &'static str, String))> {
    let (width, height) = picture.wanted?;
    let is = (header.width, header.height);
    if is == (width, height) {
        return None;
    }
    let message = format!(
        "{} ({}) has {} by {} pixels, and its place wants {width} by {height}",
        picture.what, picture.file, header.width, header.height
    );
    let steps = format!("Draw it in {width} by {height} pixels.");
    if picture.exact {
        let effect = if picture.opaque { "The store refuses the upload." } else { "The build leaves the picture out." };
        return Some((Level::Warning, (message, effect, steps)));
    }
    let larger = header.width >= width && header.height >= height;
    let same_form = u64::from(header.width) * u64::from(height) == u64::from(header.height) * u64::from(width);
    match (larger, same_form) {
        // What is larger is made smaller.
        (true, true) => None,
        (true, false) => Some((Level::Note, (message, "It is squeezed or cut to its place.", steps))),
        (false, _) => Some((Level::Warning, (message, "It is blurred.", steps))),
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::{Fixture, PLIST, picture};

    const ID: &str = "icon-size";
    const SET: &str = "ios/Marram/Assets.xcassets/AppIcon.appiconset";

    /// A project that has a folder with an asset catalog, with this in its icon set.
    fn ios(images: &str) -> Fixture {
        let project = "{ objects = { P = { isa = PBXProject; targets = (T); buildConfigurationList = L; mainGroup = G; };
  G = { isa = PBXGroup; children = (F); sourceTree = \"<group>\"; }; F = { isa = PBXFileReference; path = Marram/Assets.xcassets; sourceTree = \"<group>\"; };
  B = { isa = PBXBuildFile; fileRef = F; }; R = { isa = PBXResourcesBuildPhase; files = (B); };
  T = { isa = PBXNativeTarget; name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; buildPhases = (R); };
  L = { isa = XCConfigurationList; buildConfigurations = (C); }; C = { isa = XCBuildConfiguration; name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog; ASSETCATALOG_COMPILER_APPICON_NAME = AppIcon; }; }; }; rootObject = P; }";
        Fixture::default()
            .file("ios/Marram.xcodeproj/project.pbxproj", project)
            .file(PLIST, "<plist version=\"1.0\"><dict><key>UILaunchScreen</key><dict/></dict></plist>\n")
            .file(&format!("{SET}/Contents.json"), &format!("{{ \"images\" : [ {images} ] }}\n"))
    }

    const STORE: &str =
        "{ \"filename\" : \"a.png\", \"idiom\" : \"universal\", \"platform\" : \"ios\", \"size\" : \"1024x1024\" }";

    #[test]
    fn the_icon_of_the_store_has_its_size_and_no_transparent_parts() {
        let app = |width, height, alpha, release| {
            let mut app = ios(STORE).bytes(&format!("{SET}/a.png"), picture(width, height, alpha));
            app.settings.release = release;
            app.found(ID)
        };
        assert!(app(1024, 1024, false, true).is_empty());
        let file = format!("{SET}/a.png");
        assert_eq!(app(1024, 1024, true, false), [format!("warning {file} 1:32")]);
        assert_eq!(app(1024, 1024, true, true), [format!("error {file} 1:32")]);
        assert_eq!(app(512, 512, false, true), [format!("warning {file} 1:32")]);
    }

    #[test]
    fn points_are_multiplied_by_the_scale() {
        let small = "{ \"filename\" : \"s.png\", \"idiom\" : \"ipad\", \"scale\" : \"2x\", \"size\" : \"83.5x83.5\" }";
        let app = |side| {
            let app = ios(&format!("{STORE}, {small}")).bytes(&format!("{SET}/a.png"), picture(1024, 1024, false));
            app.bytes(&format!("{SET}/s.png"), picture(side, side, true)).found(ID)
        };
        assert!(app(167).is_empty(), "others may be transparent");
        assert_eq!(app(166).len(), 1);
    }

    #[test]
    fn a_set_without_the_icon_of_the_store_is_told() {
        let missing = "icon-missing";
        let mut empty = ios("{ \"idiom\" : \"universal\", \"platform\" : \"ios\", \"size\" : \"1024x1024\" }");
        assert_eq!(empty.found(missing), ["note AppIcon 1:1"], "a new project starts so");
        empty.settings.release = true;
        assert_eq!(empty.found(missing), ["error AppIcon 1:1"]);
        assert_eq!(ios(STORE).found(missing), [format!("error {SET}/a.png 1:32")]);
        let mut dark = ios(&format!("{STORE}, {{ \"filename\" : \"d.png\", \"idiom\" : \"universal\", \"platform\" : \"ios\", \"size\" : \"1024x1024\", \"appearances\" : [ {{ \"appearance\" : \"luminosity\", \"value\" : \"dark\" }} ] }}"))
            .bytes(&format!("{SET}/a.png"), picture(1024, 1024, false))
            .bytes(&format!("{SET}/d.png"), picture(1024, 1024, true));
        dark.settings.release = true;
        assert!(dark.found(ID).is_empty() && dark.found(missing).is_empty(), "drawn over a ground of the system's");
    }

    #[test]
    fn launcher_icons_are_as_large_as_their_density_wants() {
        let res = "android/app/src/main/res";
        let app = Fixture::android("    <application android:icon=\"@mipmap/ic\" />\n");
        let with = |folder: &str, side| {
            app.clone().bytes(&format!("{res}/{folder}/ic.png"), picture(side, side, true)).found(ID)
        };
        assert!(with("mipmap-xxhdpi", 144).is_empty() && with("mipmap-xxhdpi", 192).is_empty());
        assert_eq!(with("mipmap-xxhdpi", 48), [format!("warning {res}/mipmap-xxhdpi/ic.png 2:32")]);
        assert!(with("mipmap-night", 48).is_empty(), "no density");
        let adaptive = "<adaptive-icon xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <background android:drawable=\"@color/ground\" />\n    <foreground android:drawable=\"@drawable/ic_front\" />\n</adaptive-icon>\n";
        let mut parts = app.clone().file(&format!("{res}/mipmap-anydpi-v26/ic.xml"), adaptive);
        assert_eq!(parts.found("icon-missing"), ["warning drawable/ic_front 3:35"]);
        parts = parts.file(&format!("{res}/drawable/ic_front.xml"), "<vector />\n");
        assert!(parts.found("icon-missing").is_empty());
        parts.settings.release = true;
        assert_eq!(parts.found("icon-missing"), ["note monochrome 1:2"]);
    }
}
