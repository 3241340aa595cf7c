//! A demo computer some weeks on: what people and programs have put down since.

use std::path::Path;

use crate::people::trash;
use crate::tree::{DAY, TreeBuilder};
use crate::{DemoError, DemoLayout};

const MIB: u64 = 1 << 20;
const WEEK: i64 = 7 * DAY;

/// More weeks are not made up.
pub const MOST_WEEKS: u32 = 520;

/// Adds to a demo computer in `root` what so many weeks bring; `now` is the moment after them, seconds since 1970. What
/// comes in a week is the same each time, so that it can be reckoned.
///
/// # Errors
/// When the disk refuses.
pub fn grow(root: &Path, layout: DemoLayout, now: i64, weeks: u32) -> Result<(), DemoError> {
    let tree = TreeBuilder::new(root, now)?;
    for week in 0..i64::from(weeks.min(MOST_WEEKS)) {
        // The last week ends now.
        let age = week * WEEK + 2 * DAY;
        let number = now / WEEK - week;
        match layout {
            DemoLayout::Linux => till(&tree, number, age)?,
            DemoLayout::Windows => {
                tree.file(format!("Windows/Temp/update-{number}.tmp"), 5 * MIB, age)?;
                let path = format!("Users/Pia/AppData/Local/Temp/export-{number}.tmp");
                tree.file(path, 3 * MIB, age)?;
            }
            DemoLayout::Macos => {
                let path = format!("Users/pia/Library/Caches/example.knotbook/week-{number}.bin");
                tree.file(path, 4 * MIB, age)?;
            }
        }
    }
    Ok(())
}

/// A week at the till.
fn till(tree: &TreeBuilder, number: i64, age: i64) -> Result<(), DemoError> {
    for page in 0..20 {
        let path = format!("home/pia/.cache/knotbook/pages/{number}-{page:02}.page");
        tree.file(path, MIB / 8, age)?;
    }
    tree.file(format!("tmp/slip-{number}.tmp"), 6 * MIB, age)?;
    tree.file(format!("var/tmp/till-{number}.tmp"), 4 * MIB, age)?;
    let name = format!("season-{number}.zip");
    trash(tree, "home/joss", &name, 22 * MIB, age / DAY)?;
    let path = format!("home/joss/Downloads/rigging-{number}.run");
    tree.of_kind(path, "script", 9 * MIB, age)?;
    Ok(())
}
