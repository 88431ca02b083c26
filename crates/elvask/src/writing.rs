//! Writing to the disk as the program does it: whoever interrupts it is heard at the next safe point.

use std::fs::File;
use std::io;
use std::path::Path;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Arc, OnceLock};

use elvask_project::write::steps::{Disk, Steps};
use signal_hook::consts::{SIGINT, SIGTERM};

/// The signals that ask a program to end.
const SIGNALS: [i32; 2] = [SIGINT, SIGTERM];

/// The disk, until somebody asks for an end.
pub(crate) struct Writing {
    asked: Arc<AtomicUsize>,
    #[cfg(debug_assertions)]
    points: points::Points,
}

struct Heard {
    /// Whether nothing is being written, so that a signal ends the program at once.
    idle: Arc<AtomicBool>,
    /// The signal that came while something was.
    asked: Arc<AtomicUsize>,
}

fn heard() -> &'static Heard {
    static HEARD: OnceLock<Heard> = OnceLock::new();
    HEARD.get_or_init(|| {
        let heard = Heard { idle: Arc::new(AtomicBool::new(true)), asked: Arc::new(AtomicUsize::new(0)) };
        for signal in SIGNALS {
            let number = usize::try_from(signal).unwrap_or_default();
            // Where the system refuses, a signal ends the program as ever, and the journal says what is to be done.
            let _ = signal_hook::flag::register_conditional_default(signal, Arc::clone(&heard.idle));
            let _ = signal_hook::flag::register_usize(signal, Arc::clone(&heard.asked), number);
        }
        heard
    })
}

/// Does something that writes. A signal that comes meanwhile is held back until it is done, or stopped at a safe point, and then
/// ends the program as it would have.
pub(crate) fn with_steps<T>(write: impl FnOnce(&dyn Steps) -> T) -> T {
    let heard = heard();
    heard.idle.store(false, Ordering::SeqCst);
    let done = write(&Writing {
        asked: Arc::clone(&heard.asked),
        #[cfg(debug_assertions)]
        points: points::Points::of_environment(),
    });
    heard.idle.store(true, Ordering::SeqCst);
    if let Ok(signal @ 1..) = i32::try_from(heard.asked.swap(0, Ordering::SeqCst)) {
        let _ = signal_hook::low_level::emulate_default_handler(signal);
    }
    done
}

#[cfg(debug_assertions)]
mod points {
    //! A point at which a test lets the program end. It is not part of the program that people get.

    use std::sync::atomic::{AtomicUsize, Ordering};

    pub(super) struct Points {
        at: Option<usize>,
        count: AtomicUsize,
    }

    impl Points {
        /// Reads from the environment before which step the program is to end.
        pub(super) fn of_environment() -> Points {
            let at = std::env::var("ELVASK_TEST_END_AT").ok().and_then(|at| at.parse().ok());
            Points { at, count: AtomicUsize::new(0) }
        }

        pub(super) fn pass(&self) {
            let step = self.count.fetch_add(1, Ordering::SeqCst) + 1;
            if self.at == Some(step) {
                // As a kill would: nothing more is done, and no destructor runs.
                std::process::exit(137);
            }
        }
    }
}

impl Writing {
    #[cfg(debug_assertions)]
    fn pass(&self) {
        self.points.pass();
    }

    #[cfg(not(debug_assertions))]
    fn pass(&self) {}
}

impl Steps for Writing {
    fn make_folder(&self, path: &Path) -> io::Result<()> {
        self.pass();
        Disk.make_folder(path)
    }

    fn make_file(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        self.pass();
        Disk.make_file(path, bytes)
    }

    fn put_into(&self, file: &mut File, bytes: &[u8]) -> io::Result<()> {
        self.pass();
        Disk.put_into(file, bytes)
    }

    fn overwrite(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        self.pass();
        Disk.overwrite(path, bytes)
    }

    fn link(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.pass();
        Disk.link(from, to)
    }

    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.pass();
        Disk.rename(from, to)
    }

    fn remove_file(&self, path: &Path) -> io::Result<()> {
        self.pass();
        Disk.remove_file(path)
    }

    fn remove_folder(&self, path: &Path) -> io::Result<()> {
        self.pass();
        Disk.remove_folder(path)
    }

    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        self.pass();
        Disk.sync_folder(path)
    }

    fn is_asked_to_stop(&self) -> bool {
        self.asked.load(Ordering::SeqCst) > 0
    }
}
