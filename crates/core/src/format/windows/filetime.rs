//! FILETIME: 100 ns from 1601 on ([MS-DTYP] 2.3.3).

use jiff::Timestamp;

const TICKS: u64 = 10_000_000;
const FROM_1601: i64 = 11_644_473_600;

/// Seconds since 1970.
pub(crate) fn seconds(ticks: u64) -> i64 {
    i64::try_from(ticks / TICKS).map_or(i64::MAX, |seconds| seconds - FROM_1601)
}

/// A moment in ticks; those before 1601 are 1601.
pub(crate) fn ticks(moment: Timestamp) -> u64 {
    let seconds = moment.as_second().saturating_add(FROM_1601);
    u64::try_from(seconds).unwrap_or(0).saturating_mul(TICKS)
}
