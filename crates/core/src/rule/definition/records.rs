//! Rows of a database that a rule can ask for instead of the file: what `records` says.

use std::sync::Arc;

/// Where times in a column count from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Epoch {
    /// 1601-01-01, as Windows and the Chromium family count.
    Y1601,
    /// 1970-01-01.
    Y1970,
}

impl Epoch {
    /// Every epoch.
    pub const ALL: [Self; 2] = [Self::Y1601, Self::Y1970];

    /// Seconds from 1601-01-01 to 1970-01-01.
    const BETWEEN: i64 = 11_644_473_600;

    /// The word that rulebooks use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Y1601 => "1601",
            Self::Y1970 => "1970",
        }
    }

    /// Of a number of seconds since this epoch, those since 1970.
    pub fn since_1970(self, seconds: i64) -> i64 {
        match self {
            Self::Y1601 => seconds.saturating_sub(Self::BETWEEN),
            Self::Y1970 => seconds,
        }
    }
}

/// In what times in a column are counted.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum TimeUnit {
    /// Seconds.
    Seconds,
    /// Thousandths.
    Milliseconds,
    /// Millionths.
    Microseconds,
}

impl TimeUnit {
    /// Every unit.
    pub const ALL: [Self; 3] = [Self::Seconds, Self::Milliseconds, Self::Microseconds];

    /// The word that rulebooks use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Seconds => "s",
            Self::Milliseconds => "ms",
            Self::Microseconds => "us",
        }
    }

    /// How many of them are a second.
    pub fn per_second(self) -> i64 {
        match self {
            Self::Seconds => 1,
            Self::Milliseconds => 1_000,
            Self::Microseconds => 1_000_000,
        }
    }
}

/// A row's own time: the latest that some of its columns say.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct RowTime {
    /// Another table that they stand in, and its column that holds the row's key; the row itself where there is none.
    pub of: Option<(String, String)>,
    /// The columns.
    pub columns: Vec<String>,
    /// Where they count from.
    pub epoch: Epoch,
    /// What they count.
    pub unit: TimeUnit,
}

impl RowTime {
    /// A time in a column, as seconds since 1970; none for one that stands for "never" or can't be.
    pub fn seconds(&self, written: i64) -> Option<i64> {
        // Before 1601 and after the year 9999 nobody browsed.
        const LAST: i64 = 253_402_300_799;
        let seconds = self
            .epoch
            .since_1970(written.div_euclid(self.unit.per_second()));
        (written > 0 && seconds <= LAST).then_some(seconds)
    }
}

/// Where the site of a row stands.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum RowSite {
    /// A host or an address in a column of its own.
    Own(String),
    /// In a column of another table, whose `id` a column of the row holds.
    Of {
        /// That table.
        table: String,
        /// Its column with a host or an address.
        column: String,
        /// The row's column with the id.
        by: String,
    },
}

/// Rows that go with a row.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct AlsoRows {
    /// Their table.
    pub table: String,
    /// Its column that holds the row's key.
    pub column: String,
}

/// A column that is, or isn't, one of some numbers.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct RowFilter {
    /// The column.
    pub column: String,
    /// The numbers.
    pub values: Vec<i64>,
    /// Whether a row must have one of them, or none.
    pub must: bool,
}

/// The rows of one table that are a rule's.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct RecordSet {
    /// The table.
    pub table: String,
    /// Their own time; what the program knows of the table where a rule doesn't say.
    pub time: Option<RowTime>,
    /// Their site, the same way.
    pub site: Option<RowSite>,
    /// Which of the rows.
    pub only: Vec<RowFilter>,
    /// What goes with them, beside what the program knows.
    pub also: Vec<AlsoRows>,
}

impl RecordSet {
    /// All rows of a table, of which nothing else is known.
    pub fn all_of(table: &str) -> Arc<Self> {
        Arc::new(Self {
            table: table.to_owned(),
            time: None,
            site: None,
            only: Vec::new(),
            also: Vec::new(),
        })
    }
}
