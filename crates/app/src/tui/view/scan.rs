//! The scan station: the places being walked.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::draw::{Pieces, left, right};
use crate::tui::model::{Model, PlaceGroup, PlaceProgress, Scanning};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::lines;
use crate::wording::{bytes, count, counted};

pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let scanning = &model.scanning;
    let width = usize::from(area.width);
    if model.session.is_none() {
        let text = " Opening the computer and its rulebooks…";
        let line = Line::styled(text, theme.style(Role::Quiet));
        return lines(frame, area, vec![line]);
    }
    let most = scanning.places.iter().map(|place| place.bytes).max();
    let columns = ScanColumns {
        name: width.saturating_sub(NAMES + FOUND + 7).min(60),
        bar: width.saturating_sub(NAMES + FOUND + 69).min(44),
        most: most.unwrap_or(0).max(1),
    };
    let mut all = vec![
        head(model, theme),
        left_to_do(model, theme),
        Line::default(),
        columns.heading(theme),
    ];
    let beat = usize::try_from(model.clock.as_millis() / 150).unwrap_or(0);
    let room = usize::from(area.height).saturating_sub(all.len() + 1);
    let groups = scanning.groups.len();
    // What is walked stands below its group; once all is walked, what held most.
    let each = room.saturating_sub(groups * 2) / groups.max(1);
    for group in &scanning.groups {
        all.push(heading(theme, scanning, group, beat, &columns));
        let mut shown: Vec<&PlaceProgress> = group
            .places
            .iter()
            .filter_map(|at| scanning.places.get(*at))
            .filter(|place| match scanning.took {
                None => place.is_begun && !place.is_done,
                Some(_) => place.bytes > 0,
            })
            .collect();
        if scanning.took.is_some() {
            shown.sort_by_key(|place| std::cmp::Reverse(place.bytes));
        }
        for place in shown.into_iter().take(each) {
            let beat = scanning.took.is_none().then_some(beat);
            all.push(row(theme, place, beat, &columns));
        }
    }
    if scanning.places.is_empty() && scanning.took.is_none() {
        let text =
            "   Finding accounts, programs, and what programs that are gone left; then each place…";
        all.push(Line::styled(text, theme.style(Role::Quiet)));
    }
    lines(frame, area, all);
}

/// How it goes: names, bytes, rate, time.
fn head(model: &Model, theme: &Theme) -> Line<'static> {
    let scanning = &model.scanning;
    let (names, found) = scanning.sums();
    // Once it is over, what was found is known exactly.
    let weighed = model.weigh.as_ref().filter(|_| scanning.took.is_some());
    let found = weighed.map_or(found, |it| it.decisions.found_in_all().bytes);
    let elapsed = scanning
        .took
        .unwrap_or_else(|| model.clock.saturating_sub(scanning.began));
    let quiet = theme.style(Role::Quiet);
    let text = theme.style(Role::Text);
    let mut head = Pieces::default();
    let state = match (scanning.took, scanning.is_stopping) {
        (Some(_), false) => "Scanned",
        (Some(_), true) => "Stopped: this is a part",
        (None, false) => "Scanning",
        (None, true) => "Stopping once the disk has answered",
    };
    head.add(" ", quiet).add(state, theme.bold(Role::Straw));
    let rate = (names as f64 / elapsed.as_secs_f64().max(0.001)).round();
    // A rate is shown, not computed with: its sign and size are known.
    let rate = format!("{rate:.0}").parse().unwrap_or(0);
    head.add(format!("   {} ", count(names)), text)
        .add("files and folders, ", quiet)
        .add(count(rate), text)
        .add(" a second", quiet);
    head.add(format!("   {} ", bytes(found)), text)
        .add("found", quiet);
    head.add(format!("   {:.1} s", elapsed.as_secs_f64()), text);
    head.line()
}

/// What is left to do, and what came from memory.
fn left_to_do(model: &Model, theme: &Theme) -> Line<'static> {
    let scanning = &model.scanning;
    let quiet = theme.style(Role::Quiet);
    let mut line = Pieces::default();
    line.add(" ", quiet);
    let done = scanning.places.iter().filter(|place| place.is_done).count();
    let of = scanning.places.len();
    if of == 0 {
        return line.line();
    }
    line.add(format!("{done} of {of} places done"), quiet);
    if scanning.took.is_none() && scanning.waiting > 0 {
        let folders = format!("   {} folders waiting", count(scanning.waiting));
        line.add(folders, quiet);
    }
    let remembered = scanning.remembered();
    if remembered > 0 {
        let known = format!("   {} known from the scan before", count(remembered));
        line.add(known, quiet);
    }
    line.line()
}

/// Where the columns of a place stand.
struct ScanColumns {
    name: usize,
    bar: usize,
    /// The bytes that fill a whole bar.
    most: u64,
}

/// Columns of the figures.
const NAMES: usize = 12;
const FOUND: usize = 12;

impl ScanColumns {
    fn heading(&self, theme: &Theme) -> Line<'static> {
        let mut line = Pieces::default();
        let quiet = theme.style(Role::Quiet);
        line.add(left("     place", self.name + 5), quiet);
        line.add(right("looked at", NAMES), quiet);
        line.add(right("found", FOUND), quiet);
        line.line()
    }
}

/// A group of places: how many are done, and what they hold in all.
fn heading(
    theme: &Theme,
    scanning: &Scanning,
    group: &PlaceGroup,
    beat: usize,
    columns: &ScanColumns,
) -> Line<'static> {
    let own = || {
        group
            .places
            .iter()
            .filter_map(|at| scanning.places.get(*at))
    };
    let done = own().filter(|place| place.is_done).count();
    let is_walked = own().any(|place| place.is_begun && !place.is_done);
    let is_walked = is_walked && scanning.took.is_none();
    let names = own().map(|place| place.looked_at).sum();
    let held = own().fold(0_u64, |sum, place| sum.saturating_add(place.bytes));
    let glyphs = &theme.glyphs;
    let mark = match is_walked {
        true => glyphs.moving.get(beat % 4).copied().unwrap_or(glyphs.dot),
        false if done == group.places.len() => glyphs.dot,
        false => " ",
    };
    let mut line = Pieces::default();
    line.add(format!(" {mark} "), theme.style(Role::Straw));
    let name = format!("{}  ", group.name);
    line.add(name, theme.bold(Role::Text));
    let of = counted(group.places.len() as u64, "place");
    let done = format!("{} of {of} done", count(done as u64));
    let room = (columns.name + 5).saturating_sub(line.width());
    line.add(left(&done, room), theme.style(Role::Quiet));
    line.add(right(&count(names), NAMES), theme.style(Role::Quiet));
    line.add(right(&bytes(held), FOUND), theme.style(Role::Text));
    line.line()
}

fn row(
    theme: &Theme,
    place: &PlaceProgress,
    beat: Option<usize>,
    columns: &ScanColumns,
) -> Line<'static> {
    let glyphs = &theme.glyphs;
    let (mark, role) = match (beat, place.is_begun) {
        (Some(beat), _) => (
            glyphs.moving.get(beat % 4).copied().unwrap_or(glyphs.dot),
            Role::Straw,
        ),
        (_, true) => (glyphs.dot, Role::Quiet),
        (_, false) => (" ", Role::Faint),
    };
    let mut line = Pieces::default();
    line.add(format!("   {mark} "), theme.style(role));
    let is_known = place.is_begun || place.is_done;
    let name = match (beat, is_known) {
        (Some(_), _) => Role::Text,
        (None, true) => Role::Quiet,
        (None, false) => Role::Faint,
    };
    line.add(left(&place.name, columns.name), theme.style(name));
    if is_known {
        line.add(
            right(&count(place.looked_at), NAMES),
            theme.style(Role::Quiet),
        );
        line.add(right(&bytes(place.bytes), FOUND), theme.style(Role::Text));
        let share = place.bytes as f64 / columns.most as f64;
        let cells = (share * columns.bar as f64).ceil();
        // At most as long as the column, so it fits.
        let cells: usize = format!("{cells:.0}").parse().unwrap_or(0);
        let bar = glyphs.swept.repeat(cells.min(columns.bar));
        line.add(format!("  {bar}"), theme.style(Role::Straw));
    }
    line.line()
}
