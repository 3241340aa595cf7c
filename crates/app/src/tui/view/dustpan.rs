//! The dustpans: what waits there, until when, and what came back.

use jiff::tz::TimeZone;
use jiff::{Timestamp, civil::Date};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::areas::first_row;
use crate::tui::draw::{Pieces, cut, cut_front, left, right};
use crate::tui::lookups::shown;
use crate::tui::model::{Context, DustpanRun, DustpanView, Model, PanRow};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::{edge, keyline, lines, page, raise};
use crate::wording::{bytes, count, counted, day};

/// Width of a size.
const SIZE: usize = 12;
/// Width of a count.
const COUNT: usize = 10;
/// Width of what became of it.
const STATE: usize = 32;
/// Lines of the card.
const CARD: usize = 5;

/// What the view is, and what all of it holds.
fn title(theme: &Theme, view: &DustpanView, width: usize) -> Line<'static> {
    let mut line = Pieces::default();
    let words = " Dustpan: what was set aside and can be brought back";
    line.add(words, theme.bold(Role::Straw));
    let runs = view.runs.as_deref().unwrap_or_default();
    if !runs.is_empty() {
        let items: usize = runs.iter().map(|run| run.held - run.back).sum();
        let packed = runs
            .iter()
            .fold(0_u64, |sum, run| sum.saturating_add(run.packed));
        let sums = format!(
            "   {}, {} wait, {} packed",
            counted(runs.len() as u64, "run"),
            counted(items as u64, "item"),
            bytes(packed)
        );
        let room = width.saturating_sub(line.width());
        line.add(cut(&sums, room), theme.style(Role::Quiet));
    }
    line.line()
}

pub(super) fn draw(
    model: &Model,
    view: &DustpanView,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let [work, message, keys] = page(theme, frame, area);
    let width = usize::from(work.width);
    let quiet = theme.style(Role::Quiet);
    let mut rows = vec![title(theme, view, width), heading(theme, width)];
    let total = view.count();
    let room = usize::from(work.height).saturating_sub(CARD + 3);
    let first = first_row(view.focus, total, room);
    for at in first..total.min(first + room) {
        let Some(row) = view.row(at) else { break };
        let line = row_line(theme, view, row, (width, at == view.focus));
        rows.push(if at == view.focus {
            raise(theme, line, work.width)
        } else {
            line
        });
    }
    match &view.runs {
        None => rows.push(Line::styled("   Reading the dustpans…", quiet)),
        Some(runs) if runs.is_empty() => {
            let text = "   Nothing waits here. What a sweep sets aside, such as the trash, is kept here for a month at least.";
            rows.push(Line::styled(cut(text, width), quiet));
        }
        Some(_) => {}
    }
    for broken in &view.broken {
        rows.push(Line::styled(
            cut(&format!("   {broken}"), width),
            theme.style(Role::Ask),
        ));
    }
    rows.push(Line::default());
    rows.extend(card(theme, view, width));
    lines(frame, work, rows);
    if let Some(text) = &model.message {
        let line = Line::styled(format!(" {}", cut(text, width)), theme.style(Role::Straw));
        lines(frame, message, vec![Line::default(), line]);
    }
    keyline::draw(model, Context::Dustpan, theme, frame, keys);
}

/// The sign of what is open, or closed.
fn fold(theme: &Theme, is_open: bool) -> &'static str {
    if is_open {
        theme.glyphs.open
    } else {
        theme.glyphs.closed
    }
}

fn name_width(width: usize) -> usize {
    width.saturating_sub(3 + COUNT + SIZE + STATE + 2)
}

fn heading(theme: &Theme, width: usize) -> Line<'static> {
    let quiet = theme.style(Role::Quiet);
    let mut line = Pieces::default();
    line.to(3);
    line.add(
        left("swept on, of which computer", name_width(width)),
        quiet,
    );
    line.add(right("items", COUNT), quiet);
    line.add(right("size", SIZE), quiet);
    line.add(format!("  {}", left("where it is", STATE)), quiet);
    line.line()
}

fn local(time: Timestamp) -> Date {
    time.to_zoned(TimeZone::system()).date()
}

fn row_line(
    theme: &Theme,
    view: &DustpanView,
    row: PanRow,
    (width, is_focus): (usize, bool),
) -> Line<'static> {
    let (text, quiet) = (theme.style(Role::Text), theme.style(Role::Quiet));
    let runs = view.runs.as_deref().unwrap_or_default();
    let room = name_width(width);
    let mut line = Pieces::default();
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    match row {
        PanRow::Run(at) => {
            let Some(run) = runs.get(at) else {
                return line.line();
            };
            let mark = fold(theme, view.open == Some(at));
            line.add(format!("{mark} "), theme.style(Role::Straw));
            let time = run.pan.started.to_zoned(TimeZone::system());
            let name = format!("{}, {}", time.strftime("%e %B %Y %H:%M"), run.pan.label);
            line.add(left(&cut(name.trim(), room), room), theme.bold(Role::Text));
            line.add(right(&count(run.held as u64), COUNT), text);
            line.add(right(&bytes(run.bytes), SIZE), text);
            line.add(format!("  {}", left(&state(run), STATE)), quiet);
        }
        PanRow::Folder(at, folder) => {
            let is_open = view.open == Some(at) && view.open_folder == Some(folder);
            if let Some(run) = runs.get(at) {
                folder_line(theme, &mut line, (run, folder), (room, is_open));
            }
        }
        PanRow::Item(at, folder, thing) => {
            let run = runs.get(at);
            let item = run.and_then(|run| {
                let number = run.folders.get(folder)?.items.get(thing)?;
                run.items.get(*number)
            });
            let Some(item) = item else {
                return line.line();
            };
            line.add("      ", quiet);
            let name = item.shown_name();
            line.add(
                left(&cut(&name, room.saturating_sub(5)), room.saturating_sub(4)),
                text,
            );
            line.add(right("", COUNT), quiet);
            let size = if item.is_folder {
                "folder".to_owned()
            } else {
                bytes(item.size)
            };
            line.add(right(&size, SIZE), text);
            let back = item
                .back
                .map(|back| format!("back since {}", day(local(back))));
            let waits = if item.is_copy {
                "a copy of what stayed there"
            } else {
                "in the dustpan"
            };
            let state = back.unwrap_or_else(|| waits.to_owned());
            line.add(format!("  {}", left(&state, STATE)), quiet);
        }
    }
    line.line()
}

/// A folder of a run, and whether all in it are copies.
fn folder_line(
    theme: &Theme,
    line: &mut Pieces,
    (run, folder): (&DustpanRun, usize),
    (room, is_open): (usize, bool),
) {
    let (text, quiet) = (theme.style(Role::Text), theme.style(Role::Quiet));
    let Some(found) = run.folders.get(folder) else {
        return;
    };
    line.add(format!("  {} ", fold(theme, is_open)), quiet);
    let name = cut_front(&found.path.to_string(), room.saturating_sub(3));
    line.add(left(&name, room.saturating_sub(2)), text);
    line.add(right(&count(found.items.len() as u64), COUNT), quiet);
    line.add(right(&bytes(found.bytes), SIZE), text);
    if found.items.iter().all(|item| run.is_copy(*item)) {
        line.add(format!("  {}", left(COPIES, STATE)), quiet);
    }
}

/// What is said of safety copies.
const COPIES: &str = "copies of what stayed there";

fn state(run: &DustpanRun) -> String {
    if !run.is_here {
        return "its volume is not here".to_owned();
    }
    if run.held == 0 {
        return COPIES.to_owned();
    }
    if run.back == run.held {
        return "all back where it was".to_owned();
    }
    // The month in letters is what the column has no room for.
    let until = local(run.pan.until).strftime("%e %b %Y").to_string();
    format!("kept at least until {}", until.trim())
}

/// What is in focus, and where it waits.
fn card(theme: &Theme, view: &DustpanView, width: usize) -> Vec<Line<'static>> {
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let named = view.focused().and_then(|row| Some((row, view.named(row)?)));
    let Some((row, (run, path))) = named else {
        return Vec::new();
    };
    let rule = format!(" {}", theme.glyphs.rule.repeat(width.saturating_sub(2)));
    let room = width.saturating_sub(14);
    let fact = |about: &str, says: &str| {
        let mut line = Pieces::default();
        line.add(format!("   {}", left(about, 10)), quiet);
        line.add(cut(says, room), text);
        line.line()
    };
    let many = view.brings;
    let what = match row {
        PanRow::Run(_) => format!(
            "all of it: {}, {} packed",
            counted(run.held as u64, "item"),
            bytes(run.packed)
        ),
        PanRow::Folder(..) => format!("{path}: {}", counted(many, "item")),
        PanRow::Item(..) if many > 1 => format!("{path}, and what belongs to it: {many} items"),
        PanRow::Item(..) => path.to_string(),
    };
    let back = format!(
        "{} of {} were brought back",
        count(run.back as u64),
        count(run.held as u64)
    );
    vec![
        Line::styled(rule, theme.style(Role::Faint)),
        fact("brings", &what),
        fact(
            "to",
            &format!(
                "{}, where nothing is put onto what is there",
                run.pan.target
            ),
        ),
        fact("so far", &back),
        fact("lies in", &shown(&run.pan.archive)),
    ]
}
