//! Many computers, on a page or as a table.

use std::path::Path;

use jiff::Timestamp;
use jiff::tz::TimeZone;
use jolly_core::report::{Fleet, write_fleet};
use jolly_paper::fleet;

use crate::handover::{Drawn, HandoverError, Written, write_drawn};
use crate::new_file::{Existing, Readers, write_file};
use crate::shop::Shop;

/// Writes them to a file.
pub(crate) fn write_fleet_to(
    fleet: &Fleet,
    (now, shop, config): (Timestamp, &Shop, Option<&Path>),
    (file, form): (&Path, Written),
    existing: Existing,
) -> Result<(), HandoverError> {
    match form {
        Written::Page(form) => {
            let zone = TimeZone::system();
            let drawn = Drawn {
                title: fleet::heading(fleet, now, &zone),
                pages: fleet::pages(fleet, &shop.header(config)?, (now, &zone)),
                lines: Vec::new(),
            };
            write_drawn(&drawn, (file, form), existing)
        }
        Written::Report(form) => {
            let access = (existing, Readers::Others);
            let written = write_file(file, access, &mut |out| write_fleet(fleet, form, out));
            written.map_err(|source| HandoverError::Write {
                file: file.to_owned(),
                source,
            })
        }
    }
}
