//! A run as a table: one row an item.

use std::io::Write;

use csv::{Terminator, WriterBuilder};

use crate::computer::TargetPath;
use crate::report::form::cell::cell;
use crate::run::LogItem;

/// The first row.
const COLUMNS: [&str; 8] = [
    "rule", "account", "kind", "path", "outcome", "bytes", "reason", "in",
];

/// Writes the items as comma-separated values (RFC 4180), the first row naming the columns.
///
/// # Errors
/// What the file says.
pub(super) fn write(items: &[LogItem], out: &mut dyn Write) -> csv::Result<()> {
    let mut table = WriterBuilder::new()
        .terminator(Terminator::CRLF)
        .from_writer(out);
    table.write_record(COLUMNS)?;
    for item in items {
        let path = TargetPath::try_from(&item.place.path).unwrap_or_default();
        let outcome = item.outcome.map_or("unsettled", |outcome| outcome.name());
        table.write_record([
            cell(item.rule.as_bytes()),
            cell(item.account.as_deref().unwrap_or_default().as_bytes()),
            cell(item.kind.as_bytes()),
            cell(path.as_bytes()),
            outcome.to_owned(),
            item.bytes.to_string(),
            cell(item.reason.as_bytes()),
            cell(item.place.within.as_deref().unwrap_or_default().as_bytes()),
        ])?;
    }
    table.flush()?;
    Ok(())
}
