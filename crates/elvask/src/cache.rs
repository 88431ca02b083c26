//! Where is kept between runs what was learnt of packages: files under the user's folder for such things.
//!
//! Nothing depends on them. One that is missing or damaged is made anew; the folder may be deleted at any time.

use std::path::PathBuf;
use std::sync::Arc;
use std::time::{Duration, SystemTime};

use elvask_needs::evidence::Cache;

/// Names another folder; empty for none.
const VARIABLE: &str = "ELVASK_CACHE_DIR";

/// A file that was changed within this time may be changed again without another time standing on it.
const SETTLED: Duration = Duration::from_secs(2);

#[derive(Debug)]
struct Folder {
    path: PathBuf,
    now: u128,
}

/// Returns the user's cache; `None` where there is no folder for it, or none is wanted.
pub(crate) fn open() -> Option<Arc<dyn Cache>> {
    let path = match std::env::var_os(VARIABLE) {
        Some(told) if told.is_empty() => return None,
        Some(told) => PathBuf::from(told),
        None => user_folder()?.join("elvask").join("packages"),
    };
    let now = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).ok()?.as_nanos();
    Some(Arc::new(Folder { path, now }))
}

/// Returns the folder in which programs keep what they can make again.
fn user_folder() -> Option<PathBuf> {
    let from = |variable: &str| std::env::var_os(variable).map(PathBuf::from).filter(|path| path.is_absolute());
    let home = std::env::home_dir();
    if cfg!(windows) {
        from("LOCALAPPDATA")
    } else if cfg!(target_os = "macos") {
        home.map(|home| home.join("Library/Caches"))
    } else {
        from("XDG_CACHE_HOME").or_else(|| home.map(|home| home.join(".cache")))
    }
}

impl Cache for Folder {
    fn get(&self, key: &str) -> Option<Vec<u8>> {
        std::fs::read(self.path.join(key)).ok()
    }

    fn put(&self, key: &str, record: &[u8], newest: u128) {
        if newest + SETTLED.as_nanos() > self.now {
            return;
        }
        // Put into place whole or not at all; two programs that do so at once do no harm.
        let part = self.path.join(format!("{key}.{}", std::process::id()));
        let written = std::fs::create_dir_all(&self.path)
            .and_then(|()| std::fs::write(&part, record))
            .and_then(|()| std::fs::rename(&part, self.path.join(key)));
        if written.is_err() {
            let _ = std::fs::remove_file(&part);
        }
    }
}
