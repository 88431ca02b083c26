//! Files that notes tell people to get and to put into a platform's project: "Download `example-services.json` and put it into
//! `android/app`".

use elvask_platform::Platform;
use elvask_platform::services::{ServiceFile, service_files};

use super::Mention;
use crate::pattern::{Part, Pattern};
use crate::requirement::Need;

/// A file of settings, with the folders before it where they are said too. This is for the letters as they stand.
static FILE: Pattern = Pattern::new(
    r"\b(?:[A-Za-z0-9_-]+/)*[A-Za-z0-9_-]+(?:\.[A-Za-z0-9_-]+)*\.(?:json|plist|xml)\b",
    &[".json", ".plist", ".xml"],
);

/// The folder that it is put into.
static FOLDER: Pattern = Pattern::new(
    r"\b(?:in|into|to|inside|under|within|at) (?:the |your |your app's |your project's )?(?:folder |directory |root of the )?[`'\x22*]*((?:android|ios)(?:/[A-Za-z0-9_-]+)*)/?[`'\x22*]*(?:[ .,;:)]|$)",
    &["android", "ios"],
);

/// The folder of the app. This is for text in small letters.
static ROOT: Pattern = Pattern::new(
    r"\b(?:in|into|to|inside|under|at) (?:the |your )(?:[a-z]+ )?(?:root(?: folder| directory)? of (?:the|your) (?:[a-z]+ )?(?:project|app)\b|project root\b|root folder of your\b)",
    &["root"],
);

/// What is done with a file that somebody else makes.
const GOT: [&str; 6] = ["download", "obtain", "from the console", "provided by", "you received", "get your"];
const PUT: [&str; 8] = ["place", "put", "copy", "move", "add", "drag", "save", "paste"];

/// Files that every project has, and those that a person writes.
const OWN: [&str; 12] = [
    "AndroidManifest.xml",
    "Info.plist",
    "package.json",
    "app.json",
    "config.xml",
    "strings.xml",
    "styles.xml",
    "colors.xml",
    "tsconfig.json",
    "Contents.json",
    "network_security_config.xml",
    "file_paths.xml",
];

/// Finds the files that a clause tells people to get and to put somewhere.
pub(super) fn files(clause: &str) -> Vec<Mention> {
    let mut out: Vec<Mention> = Vec::new();
    let mut lower = None;
    let is_of_path = |byte: u8| byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'-' | b'.' | b'/');
    for file in FILE.find_within(clause, is_of_path) {
        let (folders, name) = file.as_str().rsplit_once('/').unwrap_or(("", file.as_str()));
        let is_part = clause.get(..file.start()).is_some_and(|before| before.ends_with(['/', '<', '{', '.', '_']));
        if OWN.contains(&name) || is_part {
            continue;
        }
        let lower = lower.get_or_insert_with(|| clause.to_lowercase());
        let known = service_files().find(|known| known.path.rsplit('/').next() == Some(name));
        // A service's file is known to come from elsewhere.
        let got = known.is_some() || GOT.iter().any(|word| lower.contains(word));
        if !got || !PUT.iter().any(|put| says_word(lower, put)) {
            continue;
        }
        let folders = std::iter::once(folders).filter(|folders| !folders.is_empty());
        let said = FOLDER.captures_iter(clause).filter_map(|place| place.get(1)).map(Part::as_str);
        let mut places: Vec<&str> = folders.chain(said).collect();
        places.sort_unstable();
        places.dedup();
        for place in places {
            let mut parts = place.split('/');
            let platform = if parts.next() == Some("android") { Platform::Android } else { Platform::Ios };
            let leads = place == platform.id() || place.starts_with(&format!("{}/", platform.id()));
            // A property list is for iOS, and a service's file for the platform that it is made for.
            let fits = known
                .map_or(platform == Platform::Ios || !name.ends_with(".plist"), |known| known.platform == platform);
            if leads && fits {
                let path = parts.chain([name]).collect::<Vec<_>>().join("/");
                out.push(mention(path, platform, false, known, file.start()));
            }
        }
        if let Some(known) = known.filter(|_| ROOT.find_iter(lower).next().is_some()) {
            out.push(mention(name.to_owned(), known.platform, true, Some(known), file.start()));
        }
    }
    out
}

fn mention(path: String, platform: Platform, in_app: bool, known: Option<ServiceFile>, at: usize) -> Mention {
    let id_at = known.map(|known| known.id_at.to_owned());
    Mention::new(path, Need::File { platform, in_app, id_at, fields: Vec::new() }, at)
}

/// Says whether a text in small letters has a word, and not as a part of a longer one.
fn says_word(text: &str, word: &str) -> bool {
    memchr::memmem::find_iter(text.as_bytes(), word).any(|at| {
        let letter = |letter: char| letter.is_alphanumeric();
        let before = text.get(..at).is_some_and(|before| before.ends_with(letter));
        let after = text.get(at + word.len()..).is_some_and(|after| after.starts_with(letter));
        !before && !after
    })
}

#[cfg(test)]
mod tests {
    use super::files;

    fn found(clause: &str) -> Vec<String> {
        files(clause).into_iter().map(|one| format!("{} {}", one.need.platform().id(), one.name)).collect()
    }

    #[test]
    fn a_file_that_is_got_elsewhere_and_put_somewhere_is_found() {
        assert_eq!(
            found("Download `example-services.json` from the console and put it into `android/app`."),
            ["android app/example-services.json"]
        );
        assert_eq!(
            found("Download ExampleServices.plist and add it to the ios/Marram folder"),
            ["ios Marram/ExampleServices.plist"]
        );
        assert_eq!(
            found("Then put your `google-services.json` in `android/app/`."),
            ["android app/google-services.json"],
            "a file that only its service makes"
        );
        let root = "Download `GoogleService-Info.plist` for iOS and `google-services.json` for Android, and place them in the root folder of your project.";
        assert_eq!(found(root), ["ios GoogleService-Info.plist", "android google-services.json"]);
        assert_eq!(found("Download the file and save it as `android/app/knot.json`"), ["android app/knot.json"]);
    }

    #[test]
    fn what_a_person_writes_or_what_has_no_place_is_not() {
        assert!(found("Add the key to `android/app/src/main/AndroidManifest.xml`.").is_empty());
        assert!(found("Download `example-services.json` from the console.").is_empty(), "nobody says where it goes");
        assert!(found("Put `ring.json` into `android/app`.").is_empty(), "nobody says that it comes from elsewhere");
        assert!(found("Download `ring.json` and put it into `android/<your module>`.").is_empty());
        assert!(found("The downloaded `rings.json` is read at `android/app`.").is_empty());
    }
}
