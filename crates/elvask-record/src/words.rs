//! The schemas of words that come from the crates below: one list of words for each.

use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use std::borrow::Cow;

macro_rules! words {
    ($($(#[$about:meta])* $name:ident: $title:literal [$($word:literal),*];)*) => {$(
        $(#[$about])*
        pub(crate) struct $name;

        impl JsonSchema for $name {
            fn schema_name() -> Cow<'static, str> {
                stringify!($name).into()
            }

            fn json_schema(_: &mut SchemaGenerator) -> Schema {
                json_schema!({ "type": "string", "description": $title, "enum": [$($word),*] })
            }
        }
    )*};
}

words! {
    Level: "How bad a finding is." ["error", "warning", "note"];
    Platform: "A platform." ["android", "ios"];
    Strength: "How sure it is that the part of the package needs it." ["certain", "likely", "optional"];
    Reach: "How a need comes to the app." ["always", "used", "part", "out"];
    Layout: "The file that lists the app's dependencies." ["pubspec", "npm", "msbuild", "gradle", "xcode", "widget", "appjson"];
    Grant: "How a permission is granted." ["at-install", "prompt", "settings-screen", "never", "unknown"];
    Outcome: "What a link opens." ["app", "chooser", "browser", "nothing"];
    SheetOrigin: "Who put a sheet where it is." ["package", "app", "folder", "placed", "declared"];
    Document: "The file of a website." ["assetlinks.json", "apple-app-site-association"];
}
