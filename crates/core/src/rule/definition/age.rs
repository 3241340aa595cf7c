//! Age limits and the age bands that they are drawn against.

use jiff::Timestamp;
use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

const HOUR: u64 = 3600;
const DAY: u64 = 24 * HOUR;

/// The unit of an age limit. A month is 30 days and a year is 365, so that a limit means the same
/// on every day of the year.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[expect(missing_docs, reason = "units of time")]
pub enum AgeUnit {
    Hour,
    Day,
    Week,
    Month,
    Year,
}

impl AgeUnit {
    const ALL: [(Self, &'static str, u64); 5] = [
        (Self::Hour, "hour", HOUR),
        (Self::Day, "day", DAY),
        (Self::Week, "week", 7 * DAY),
        (Self::Month, "month", 30 * DAY),
        (Self::Year, "year", 365 * DAY),
    ];

    fn name_and_seconds(self) -> (&'static str, u64) {
        Self::ALL
            .iter()
            .find(|(unit, ..)| *unit == self)
            .map_or(("hour", HOUR), |(_, name, seconds)| (name, *seconds))
    }
}

/// How old an item must be to be taken, as a person says it: "3 months".
///
/// # Invariants
/// Between one hour and 200 years. No limit at all is the absence of this type.
#[derive(Clone, Copy, Debug, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub struct AgeLimit {
    count: u32,
    unit: AgeUnit,
}

/// Why a text is not an age limit.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum AgeError {
    #[error(
        "\"{text}\" is not an age; write a number and a unit, such as \"3 days\", \"2 weeks\" or \"6 months\""
    )]
    NotAnAge { text: String },
    #[error("\"{text}\" names no known unit; the units are hours, days, weeks, months and years")]
    UnknownUnit { text: String },
    #[error("an age limit is at least 1 hour; leave it out for any age")]
    TooSmall,
    #[error("an age limit is at most 200 years")]
    TooLarge,
}

impl AgeLimit {
    /// A limit of so many units.
    ///
    /// # Errors
    /// When it is less than an hour or more than 200 years.
    pub fn new(count: u32, unit: AgeUnit) -> Result<Self, AgeError> {
        let limit = Self { count, unit };
        match limit.as_seconds() {
            ..HOUR => Err(AgeError::TooSmall),
            seconds if seconds > 200 * 365 * DAY => Err(AgeError::TooLarge),
            _ => Ok(limit),
        }
    }

    /// The limit in seconds.
    pub fn as_seconds(self) -> u64 {
        u64::from(self.count) * self.unit.name_and_seconds().1
    }
}

impl PartialEq for AgeLimit {
    fn eq(&self, other: &Self) -> bool {
        self.as_seconds() == other.as_seconds()
    }
}

impl PartialOrd for AgeLimit {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for AgeLimit {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.as_seconds().cmp(&other.as_seconds())
    }
}

impl fmt::Display for AgeLimit {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (name, _) = self.unit.name_and_seconds();
        let plural = if self.count == 1 { "" } else { "s" };
        write!(out, "{} {name}{plural}", self.count)
    }
}

impl FromStr for AgeLimit {
    type Err = AgeError;

    fn from_str(text: &str) -> Result<Self, AgeError> {
        let not_an_age = || AgeError::NotAnAge {
            text: text.to_owned(),
        };
        let trimmed = text.trim();
        let digits = trimmed
            .find(|letter: char| !letter.is_ascii_digit())
            .unwrap_or(trimmed.len());
        let (count, unit) = trimmed.split_at_checked(digits).ok_or_else(not_an_age)?;
        let unit = unit.trim();
        if count.is_empty() || unit.is_empty() || !unit.chars().all(char::is_alphabetic) {
            return Err(not_an_age());
        }
        let lower = unit.to_ascii_lowercase();
        // As the age bands are headed, too: h, d, w, m for months, y.
        let is_it = |name: &str| {
            lower == name
                || lower.strip_suffix('s') == Some(name)
                || name
                    .strip_prefix(lower.as_str())
                    .is_some_and(|_| lower.len() == 1)
        };
        let known = AgeUnit::ALL
            .iter()
            .find(|(_, name, _)| is_it(name))
            .ok_or_else(|| AgeError::UnknownUnit {
                text: unit.to_owned(),
            })?;
        let count: u32 = count.parse().ok().ok_or(AgeError::TooLarge)?;
        Self::new(count, known.0)
    }
}

impl From<AgeLimit> for String {
    fn from(limit: AgeLimit) -> Self {
        limit.to_string()
    }
}

impl TryFrom<String> for AgeLimit {
    type Error = AgeError;

    fn try_from(text: String) -> Result<Self, AgeError> {
        text.parse()
    }
}

/// How many age bands there are.
pub const BAND_COUNT: usize = 12;

/// The young edge of each band, in seconds: now, 1 hour, 1 and 3 days, 1 and 2 weeks, 1, 3 and 6
/// months, 1, 2 and 5 years.
pub const BAND_EDGES: [u64; BAND_COUNT] = [
    0,
    HOUR,
    DAY,
    3 * DAY,
    7 * DAY,
    14 * DAY,
    30 * DAY,
    90 * DAY,
    180 * DAY,
    365 * DAY,
    2 * 365 * DAY,
    5 * 365 * DAY,
];

/// The heading of each band: its young edge.
pub const BAND_NAMES: [&str; BAND_COUNT] = [
    "now", "1h", "1d", "3d", "1w", "2w", "1m", "3m", "6m", "1y", "2y", "5y",
];

/// The limits that lie exactly on the edges of the bands; the first is no limit.
const EDGE_LIMITS: [Option<(u32, AgeUnit)>; BAND_COUNT] = [
    None,
    Some((1, AgeUnit::Hour)),
    Some((1, AgeUnit::Day)),
    Some((3, AgeUnit::Day)),
    Some((1, AgeUnit::Week)),
    Some((2, AgeUnit::Week)),
    Some((1, AgeUnit::Month)),
    Some((3, AgeUnit::Month)),
    Some((6, AgeUnit::Month)),
    Some((1, AgeUnit::Year)),
    Some((2, AgeUnit::Year)),
    Some((5, AgeUnit::Year)),
];

/// The band that an age in seconds falls into.
pub fn band_of(age: u64) -> usize {
    BAND_EDGES
        .partition_point(|edge| *edge <= age)
        .saturating_sub(1)
}

impl AgeLimit {
    /// The limit on the young edge of a band; none for the first band.
    pub fn at_edge(band: usize) -> Option<Self> {
        let (count, unit) = (*EDGE_LIMITS.get(band)?)?;
        Some(Self { count, unit })
    }

    /// The next edge towards the old end from here; stays at the last.
    pub fn older(limit: Option<Self>) -> Option<Self> {
        let at = limit.map_or(0, Self::as_seconds);
        let next = BAND_EDGES.iter().position(|edge| *edge > at);
        next.map_or(limit, Self::at_edge)
    }

    /// The next edge towards the young end from here; no limit at the end.
    pub fn younger(limit: Option<Self>) -> Option<Self> {
        let at = limit?.as_seconds();
        Self::at_edge(BAND_EDGES.iter().rposition(|edge| *edge < at)?)
    }
}

/// An age in seconds: now minus then, none for what is of the future.
pub(crate) fn age_at(time: i64, now: Timestamp) -> u64 {
    seconds_since(time, now.as_second())
}

pub(crate) fn seconds_since(time: i64, now: i64) -> u64 {
    u64::try_from(now.saturating_sub(time)).unwrap_or(0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn prop_a_shown_limit_parses_back(count in 1_u32..200, unit in 0_usize..5) {
            let limit = AgeLimit::new(count, AgeUnit::ALL[unit].0).unwrap();
            prop_assert_eq!(limit.to_string().parse(), Ok(limit));
        }

        #[test]
        fn prop_no_text_panics(text in ".{0,12}") {
            drop(text.parse::<AgeLimit>());
        }
    }

    #[test]
    fn nonsense_is_refused_with_its_reason() {
        let refused = |text: &str| text.parse::<AgeLimit>().unwrap_err().to_string();
        assert!(refused("0 days").contains("at least 1 hour"));
        assert!(refused("-3 days").contains("not an age"));
        assert!(refused("3 fortnights").contains("no known unit"));
        for (short, long) in [
            ("45d", "45 days"),
            ("3m", "3 months"),
            ("1 y", "1 year"),
            ("2W", "2 weeks"),
            ("6h", "6 hours"),
        ] {
            assert_eq!(short.parse::<AgeLimit>().unwrap().to_string(), long);
        }
        assert!(
            refused("10 min").contains("no known unit")
                && refused("3 mo").contains("no known unit")
        );
        assert!(refused("99999 years").contains("at most 200 years"));
        assert!(refused("99999999999 hours").contains("at most 200 years"));
        assert!(refused("3").contains("not an age"));
        assert!(refused("").contains("not an age"));
    }

    #[test]
    fn the_line_walks_over_every_edge_and_back() {
        let mut limit = None;
        for edge in BAND_EDGES.iter().skip(1) {
            limit = AgeLimit::older(limit);
            assert_eq!(limit.unwrap().as_seconds(), *edge);
        }
        assert_eq!(AgeLimit::older(limit), limit);
        for band in (0..BAND_COUNT - 1).rev() {
            limit = AgeLimit::younger(limit);
            assert_eq!(limit, AgeLimit::at_edge(band));
        }
        let exact = "45 days".parse().ok();
        assert_eq!(AgeLimit::older(exact), "3 months".parse().ok());
        assert_eq!(AgeLimit::younger(exact), "1 month".parse().ok());
    }
}
