//! The JSON of `survey --matrix`.

use elvask_core::matrix::Matrix;

use super::*;

/// What `survey --matrix` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct MatrixRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The plugins that have to do with some row.
    pub plugins: Vec<String>,
    /// What is declared or needed.
    pub rows: Vec<MatrixRowRecord>,
}

/// One thing that is declared or needed.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct MatrixRowRecord {
    /// Where.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Platform"))]
    pub platform: Platform,
    /// Its kind.
    pub kind: &'static str,
    /// What identifies it.
    pub name: String,
    /// Whether the app declares it.
    pub declared: bool,
    /// By plugin: `met` (needed and declared), `lacking` (needed and not declared), `optional` (useful and not declared), `brought` (its own manifest brings it
    /// along) or `unseen` (it could need it; no use of that part is seen).
    pub plugins: BTreeMap<String, &'static str>,
}

impl MatrixRecord {
    /// Turns a matrix into a record.
    #[must_use]
    pub fn of(matrix: &Matrix) -> Self {
        let rows = matrix.rows.iter().map(|row| MatrixRowRecord {
            platform: row.platform,
            kind: row.kind,
            name: row.name.clone(),
            declared: row.declared,
            plugins: row
                .marks
                .iter()
                .filter_map(|(plugin, mark)| Some((matrix.plugins.get(*plugin)?.clone(), mark.word())))
                .collect(),
        });
        MatrixRecord { format: FORMAT, plugins: matrix.plugins.clone(), rows: rows.collect() }
    }
}
