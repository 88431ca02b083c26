//! A word about work that takes long, on a terminal alone.

use std::io::{IsTerminal as _, Write as _};
use std::sync::{Arc, Condvar, Mutex};
use std::thread::{JoinHandle, spawn};
use std::time::{Duration, Instant};

/// How long nothing is said.
const PATIENCE: Duration = Duration::from_millis(500);

/// How often it is said anew.
const PACE: Duration = Duration::from_millis(200);

/// Says what is being done, from half a second on, until it goes out of scope; then the line is as empty as it was.
pub(crate) struct Progress {
    over: Arc<(Mutex<bool>, Condvar)>,
    teller: Option<JoinHandle<()>>,
}

impl Progress {
    /// Starts the clock. Nothing is ever said where standard error is no terminal, or where less is to be said.
    pub(crate) fn start(what: &'static str, quiet: bool) -> Self {
        let over = Arc::new((Mutex::new(false), Condvar::new()));
        let told = !quiet && std::io::stderr().is_terminal();
        let teller = told.then(|| {
            let over = Arc::clone(&over);
            spawn(move || tell(what, &over))
        });
        Progress { over, teller }
    }
}

fn tell(what: &str, over: &(Mutex<bool>, Condvar)) {
    let started = Instant::now();
    let (ended, changed) = over;
    let Ok(mut is_over) = ended.lock() else { return };
    let mut pause = PATIENCE;
    let mut said = false;
    while !*is_over {
        let Ok((again, _)) = changed.wait_timeout(is_over, pause) else { return };
        is_over = again;
        if *is_over || started.elapsed() < PATIENCE {
            continue;
        }
        pause = PACE;
        said = true;
        let _ = write!(std::io::stderr(), "\r{what} … {:.1} s\u{1b}[K", started.elapsed().as_secs_f32());
    }
    if said {
        let _ = write!(std::io::stderr(), "\r\u{1b}[K");
    }
}

impl Drop for Progress {
    fn drop(&mut self) {
        if let Ok(mut is_over) = self.over.0.lock() {
            *is_over = true;
        }
        self.over.1.notify_all();
        if let Some(teller) = self.teller.take() {
            let _ = teller.join();
        }
    }
}
