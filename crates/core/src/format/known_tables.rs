//! What is known of tables that have to stay consistent: which rows go with a row, which count it, which point to it.
//!
//! The facts were found in databases of the browsers themselves, and by having them delete the same rows. A new table is
//! a new [`KnownTable`] in the file of its family.

mod chromium;
mod gecko;

/// Rows that belong to a row: their column holds its key.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Child<'a> {
    pub table: &'a str,
    pub column: &'a str,
    /// Their own key, by which others belong to them in turn.
    pub key: &'a str,
    pub children: &'a [Child<'a>],
    pub parents: &'a [Parent<'a>],
    pub pointers: &'a [Pointer<'a>],
}

impl<'a> Child<'a> {
    /// Rows that nothing belongs to.
    pub(crate) const fn plain(table: &'a str, column: &'a str) -> Self {
        Self {
            table,
            column,
            key: "rowid",
            children: &[],
            parents: &[],
            pointers: &[],
        }
    }
}

/// A row that several others belong to, and that goes with the last of them.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Parent<'a> {
    pub table: &'a str,
    /// The column of those that belong to it, which holds its key.
    pub via: &'a str,
    /// What tells it from others, whatever its key.
    pub unique: &'a [&'a str],
    /// Columns that begin with nothing when it is made again, since those that belong to it count.
    pub counted: &'a [&'a str],
    /// Sets right what it counts; `touched` holds the keys of those that may count too much.
    pub recount: &'a [Step<'a>],
    /// Adds what came back; `back` holds the keys of the rows that did.
    pub count_back: &'a [Step<'a>],
    /// When it goes, said of its own columns.
    pub goes_when: &'a str,
    /// Rows of it that may go though it stays.
    pub fading: &'a [Fading<'a>],
    pub children: &'a [Child<'a>],
    pub parents: &'a [Parent<'a>],
    pub pointers: &'a [Pointer<'a>],
}

/// Rows that belong to a parent and go when a condition no longer holds.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Fading<'a> {
    pub rows: Child<'a>,
    /// Which of them may, said of their own columns.
    pub of: &'a str,
    /// When they go, after the others have.
    pub goes_when: &'a str,
}

/// A column in which surviving rows point to one that goes.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Pointer<'a> {
    pub table: &'a str,
    pub column: &'a str,
    pub becomes: Becomes,
}

/// What a pointer becomes when its row goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Becomes {
    /// What that row pointed to, through any number of rows that go.
    Inherited,
    Zero,
    Null,
}

/// A statement, for databases that have all of these: tables, and columns as `table.column`.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Step<'a> {
    pub needs: &'a [&'a str],
    pub sql: &'a str,
}

/// A table that has to stay consistent with others.
#[derive(Clone, Copy, Debug)]
pub(crate) struct KnownTable {
    pub table: &'static str,
    /// Tables and columns without which it isn't the one that is known.
    pub required: &'static [&'static str],
    /// Whether its program has foreign keys watched.
    pub has_foreign_keys: bool,
    /// Which rows stay, said of their own columns; `pin` holds the addresses of bookmarked pages.
    pub stays: Option<&'static str>,
    /// Names of columns by which rows of other tables would refer to it or to its parents.
    pub references: &'static [&'static str],
    /// Tables beside it that have such columns and are known to need nothing.
    pub others: &'static [&'static str],
    pub children: &'static [Child<'static>],
    pub parents: &'static [Parent<'static>],
    pub pointers: &'static [Pointer<'static>],
    /// Files beside the database that name bookmarked pages.
    pub bookmarks: &'static [&'static str],
}

/// A family of browsers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Family {
    /// The Chromium family.
    Chromium,
    /// The Gecko family.
    Gecko,
}

impl Family {
    /// The family in whose databases a table stands.
    pub fn of_table(name: &str) -> Self {
        let begins = name.get(..4).unwrap_or_default();
        if begins.eq_ignore_ascii_case("moz_") {
            Self::Gecko
        } else {
            Self::Chromium
        }
    }
}

/// What is known of a table, by its name.
pub(crate) fn known_table(name: &str) -> Option<&'static KnownTable> {
    let mut all = chromium::TABLES.iter().chain(gecko::TABLES);
    all.find(|known| known.table.eq_ignore_ascii_case(name))
}
