//! Where the space is, as a picture or as a table.

use std::path::Path;

use jiff::Timestamp;
use jiff::tz::TimeZone;
use jolly_core::format::Printable;
use jolly_core::report::write_space;
use jolly_core::survey::{Part, Shelf, Space};
use jolly_core::walk::FolderNumber;
use jolly_paper::space::{DrawnShelf, NARROWEST, SHELF_WIDTH, SpacePicture, page};

use crate::handover::{Drawn, HandoverError, PreviewLine, Written, write_drawn};
use crate::new_file::{Existing, Readers, write_file};
use crate::wording::{bytes, shade_of};

/// What is handed over of it.
#[derive(Clone, Copy)]
pub(crate) struct SpaceView<'a> {
    pub space: &'a Space,
    /// Where it begins.
    pub start: FolderNumber,
    /// Whose computer it is.
    pub name: &'a str,
    pub when: Timestamp,
}

/// Writes it to a file.
pub(crate) fn write_space_to(
    view: &SpaceView<'_>,
    (file, form): (&Path, Written),
    existing: Existing,
) -> Result<(), HandoverError> {
    match form {
        Written::Page(form) => write_drawn(&draw_space(view), (file, form), existing),
        Written::Report(form) => {
            let access = (existing, Readers::Others);
            let written = write_file(file, access, &mut |out| {
                write_space(view.space, view.start, form, out)
            });
            written.map_err(|source| HandoverError::Write {
                file: file.to_owned(),
                source,
            })
        }
    }
}

/// Levels that are drawn.
const LEVELS: usize = 9;

/// Draws the shelves.
pub(crate) fn draw_space(view: &SpaceView<'_>) -> Drawn {
    let (space, now) = (view.space, view.when.as_second());
    let place = space.path(Part::Folder(view.start)).to_string();
    let shelves = space.shelves(view.start, (SHELF_WIDTH, LEVELS), NARROWEST);
    let drawn: Vec<DrawnShelf> = shelves
        .iter()
        .map(|shelf| drawn_shelf(space, shelf, now))
        .collect();
    let zone = TimeZone::system();
    let levels = drawn.iter().map(|shelf| shelf.level + 1).max();
    let picture = SpacePicture {
        name: view.name,
        place: &place,
        when: view.when,
        zone: &zone,
        shelves: &drawn,
        levels: levels.unwrap_or(1),
        whole: (view.start == FolderNumber::ROOT).then(|| space.whole()),
    };
    let mut lines = vec![PreviewLine::title(view.name)];
    lines.extend(drawn.iter().filter(|shelf| shelf.level <= 1).map(|shelf| {
        let line = PreviewLine::plain(&shelf.name).with(bytes(shelf.bytes));
        PreviewLine {
            is_below: shelf.level > 0,
            ..line
        }
    }));
    Drawn {
        title: format!("{}: where the space is", view.name),
        pages: vec![page(&picture)],
        lines,
    }
}

fn drawn_shelf(space: &Space, shelf: &Shelf, now: i64) -> DrawnShelf {
    let held = space.held(shelf.part);
    let name = if shelf.level == 0 {
        space.path(shelf.part).to_string()
    } else {
        Printable(space.name(shelf.part)).to_string()
    };
    DrawnShelf {
        name,
        level: shelf.level,
        from: shelf.from,
        to: shelf.to,
        bytes: held.bytes,
        shade: shade_of(held.touched, now),
    }
}
