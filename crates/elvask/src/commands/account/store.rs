//! Where the stand-in for the accounts keeps what is registered: a database in one file. What it has acknowledged survives whatever ends
//! the program.

use std::fs::OpenOptions;
use std::path::Path;

use redb::backends::FileBackend;
use redb::{Database, DatabaseError, ReadableDatabase as _, TableDefinition, WriteTransaction};

use crate::commands::typed;
use crate::output::Failure;

/// What is registered, in JSON, by its kind and its id.
const THINGS: TableDefinition<'_, (&str, &str), &str> = TableDefinition::new("registered");

/// The most things that are kept.
const MAX_THINGS: u64 = 10_000;

/// Why something is not kept.
#[derive(Debug)]
pub(super) enum StoreError {
    /// There is no room for more.
    Full,
    /// The database fails.
    Failed(String),
}

impl<E: Into<redb::Error>> From<E> for StoreError {
    fn from(error: E) -> Self {
        StoreError::Failed(error.into().to_string())
    }
}

/// The things that are registered.
pub(super) struct Store(Database);

impl Store {
    /// Opens the database of a file, and makes it where there is none; only its owner can read it.
    pub(super) fn open(path: &Path) -> Result<Store, Failure> {
        let shown = typed(path);
        let failed = |why: String| Failure::new(format!("{shown}: {why}"));
        let mut options = OpenOptions::new();
        options.read(true).write(true).create(true).truncate(false);
        #[cfg(unix)]
        std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
        let file = options.open(path).map_err(|error| failed(error.to_string()))?;
        let database = FileBackend::new(file)
            .and_then(|backend| Database::builder().create_with_backend(backend))
            .map_err(|error| match error {
                DatabaseError::DatabaseAlreadyOpen => {
                    failed("another program uses it".to_owned()).hint("--store FILE names another file")
                }
                other => failed(format!("it is no database of the stand-in, or it is damaged: {other}"))
                    .hint("--store FILE names another file"),
            })?;
        let store = Store(database);
        // So that reading finds a table from the first moment on.
        store.write(|_| Ok(())).map_err(|error| failed(error.to_string()))?;
        Ok(store)
    }

    /// Changes what is kept; once this returns, the change is on the disk.
    fn write<T>(
        &self,
        change: impl FnOnce(&mut redb::Table<'_, (&'static str, &'static str), &'static str>) -> Result<T, StoreError>,
    ) -> Result<T, StoreError> {
        let transaction: WriteTransaction = self.0.begin_write()?;
        let out = change(&mut transaction.open_table(THINGS)?)?;
        transaction.commit()?;
        Ok(out)
    }

    /// Keeps something; says whether it is new.
    pub(super) fn put(&self, kind: &str, id: &str, json: &str) -> Result<bool, StoreError> {
        self.write(|table| {
            let new = table.insert((kind, id), json)?.is_none();
            if new && redb::ReadableTableMetadata::len(table)? > MAX_THINGS {
                return Err(StoreError::Full);
            }
            Ok(new)
        })
    }

    /// Removes something; says whether it was there.
    pub(super) fn remove(&self, kind: &str, id: &str) -> Result<bool, StoreError> {
        self.write(|table| Ok(table.remove((kind, id))?.is_some()))
    }

    /// Returns what is kept under an id.
    pub(super) fn get(&self, kind: &str, id: &str) -> Result<Option<String>, StoreError> {
        let table = self.0.begin_read()?.open_table(THINGS)?;
        Ok(table.get((kind, id))?.map(|found| found.value().to_owned()))
    }

    /// Returns all of a kind, by their ids.
    pub(super) fn list(&self, kind: &str) -> Result<Vec<(String, String)>, StoreError> {
        let table = self.0.begin_read()?.open_table(THINGS)?;
        let mut out = Vec::new();
        for entry in table.range((kind, "")..)? {
            let (key, value) = entry?;
            let (of, id) = key.value();
            if of != kind {
                break;
            }
            out.push((id.to_owned(), value.value().to_owned()));
        }
        Ok(out)
    }
}

impl std::fmt::Display for StoreError {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            StoreError::Full => write!(out, "more than {MAX_THINGS} things cannot be registered"),
            StoreError::Failed(why) => write!(out, "the database fails: {why}"),
        }
    }
}
