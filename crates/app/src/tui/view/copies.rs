//! The lens of what is there twice: a row a pair of folders, what both have and what only one does, and which side goes.

mod versions;

use jolly_core::survey::{CopyGroup, FileSort, FolderPair, Side};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::areas::first_row;
use crate::tui::draw::{Pieces, cut, cut_front, left, right};
use crate::tui::model::{Context, CopiesView, CopyList, CopyRow, KnownCopies, Model};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::{edge, keyline, lines, page, raise};
use crate::wording::{bytes, count, counted};

/// Widths of the figures.
pub(super) const SIZE: usize = 11;
pub(super) const FILES: usize = 8;
const ONLY: usize = 7;

/// Lines of the card.
const CARD: usize = 4;

pub(super) fn draw(
    model: &Model,
    view: &CopiesView,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let [work, message, keys] = page(theme, frame, area);
    let (width, height) = (usize::from(work.width), usize::from(work.height));
    let mut rows = vec![title(theme, view), standing(theme, view)];
    let is_there = view.list == CopyList::Same || view.versions.is_some();
    if let Some(known) = view.known.as_ref().filter(|_| is_there) {
        rows.push(match view.list {
            CopyList::Same => heading(theme, width),
            CopyList::Recordings | CopyList::Pictures => versions::heading(theme, view, width),
        });
        let room = height.saturating_sub(CARD + rows.len() + 1);
        let first = first_row(view.focus, view.rows.len(), room);
        for (at, row) in view.rows.iter().enumerate().skip(first).take(room) {
            let is_focus = at == view.focus;
            let line = draw_row(theme, (view, known), *row, (is_focus, width));
            rows.push(if is_focus {
                raise(theme, line, work.width)
            } else {
                line
            });
        }
        if view.rows.is_empty() {
            let text = match view.list {
                CopyList::Same => "   Nothing that people keep on this computer is there twice.",
                CopyList::Recordings => {
                    "   No recording is there in two qualities, as far as they tell."
                }
                CopyList::Pictures => "   No picture is there in two sizes, as far as they tell.",
            };
            rows.push(Line::styled(text, theme.style(Role::Quiet)));
        }
        let used = rows.len();
        rows.extend((used..height.saturating_sub(CARD)).map(|_| Line::default()));
        rows.extend(card(theme, view, known, width));
    } else {
        rows.push(Line::default());
        rows.push(Line::styled(looking(view), theme.style(Role::Quiet)));
    }
    lines(frame, work, rows);
    if let Some(text) = &model.message {
        let line = Line::styled(format!(" {}", cut(text, width)), theme.style(Role::Straw));
        lines(frame, message, vec![Line::default(), line]);
    }
    keyline::draw(model, Context::Copies, theme, frame, keys);
}

/// What is known while copies are looked for.
fn looking(view: &CopiesView) -> String {
    let (done, of) = view.news.files;
    if of == 0 {
        return "   Looking at everything once …".to_owned();
    }
    let doing = match view.list {
        CopyList::Same => "Comparing files of equal length",
        CopyList::Recordings | CopyList::Pictures => {
            "Reading what music and pictures tell of themselves"
        }
    };
    format!(
        "   {doing}: {} of {}, {} read …",
        count(done),
        count(of),
        bytes(view.news.bytes)
    )
}

fn title(theme: &Theme, view: &CopiesView) -> Line<'static> {
    let mut line = Pieces::default();
    if view.list != CopyList::Same {
        return versions::title(theme, view);
    }
    line.add(" The same file twice", theme.bold(Role::Straw));
    if let Some(known) = &view.known {
        let copies = &known.copies;
        let says = format!(
            "   {} of folders, {} that fit none   {} beside one of each",
            counted(copies.pairs.len() as u64, "pair"),
            counted(copies.rest.len() as u64, "group"),
            bytes(known.spare)
        );
        line.add(says, theme.style(Role::Quiet));
    }
    line.line()
}

/// What goes by all that was said.
fn standing(theme: &Theme, view: &CopiesView) -> Line<'static> {
    let mut line = Pieces::default();
    line.to(1);
    if view.known.is_none() {
        return line.line();
    }
    let unread = view.unread();
    if unread > 0 {
        let says = format!("{} not read   ", counted(unread, "file"));
        line.add(says, theme.style(Role::Straw));
    }
    let meant = known_meant(view);
    if meant > 0 {
        let says = format!("{} meant to be the same   ", counted(meant, "pair"));
        line.add(says, theme.style(Role::Quiet));
    }
    match view.goes {
        (0, _) => line.add(
            match view.list {
                CopyList::Same => "nothing goes; space says which side of a pair does",
                _ => "nothing goes; space says which version does",
            },
            theme.style(Role::Quiet),
        ),
        (files, held) => {
            let says = format!("{}, {} to go", counted(files, "file"), bytes(held));
            line.add(says, theme.style(Role::Straw));
            line.add(
                "   esc makes a pile of them; of everything one stays",
                theme.style(Role::Quiet),
            )
        }
    };
    line.line()
}

/// How many pairs are meant to be the same.
fn known_meant(view: &CopiesView) -> u64 {
    let before = view.known.as_ref().map_or(0, |known| known.meant);
    before + view.meant.len() as u64
}

/// Columns of the path of one side.
fn path_width(width: usize) -> usize {
    width.saturating_sub(4 + SIZE + FILES + 2 * (ONLY + 2)) / 2
}

fn heading(theme: &Theme, width: usize) -> Line<'static> {
    let quiet = theme.style(Role::Quiet);
    let path = path_width(width);
    let mut line = Pieces::default();
    line.add(right("both have", SIZE + 3), quiet);
    line.add(right("files", FILES), quiet);
    line.add("  ", quiet);
    line.add(left("one folder", path), quiet);
    line.add(right("only", ONLY), quiet);
    line.add("  ", quiet);
    line.add(left("the other", path), quiet);
    line.add(right("only", ONLY), quiet);
    line.line()
}

fn draw_row(
    theme: &Theme,
    (view, known): (&CopiesView, &KnownCopies),
    row: CopyRow,
    (is_focus, width): (bool, usize),
) -> Line<'static> {
    let mut line = Pieces::default();
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    match row {
        CopyRow::Pair(at) => {
            if let Some(pair) = known.copies.pairs.get(at) {
                let mark = fold_mark(theme, view, row);
                line.add(mark, theme.style(Role::Quiet));
                of_pair(theme, &mut line, (view, known), (at, pair), width);
            }
        }
        CopyRow::Sort(at, sort) => {
            line.add("  ", theme.style(Role::Quiet));
            line.add(fold_mark(theme, view, row), theme.style(Role::Quiet));
            of_sort(theme, &mut line, view, (at, sort));
        }
        CopyRow::Shared(_, at) => {
            if let Some(group) = known.copies.groups.get(at) {
                of_group(theme, &mut line, known, group, width);
            }
        }
        CopyRow::Rest(at) => {
            if let Some(group) = known.copies.groups.get(at) {
                let mark = fold_mark(theme, view, row);
                line.add(mark, theme.style(Role::Quiet));
                line.add(right(&bytes(group.size), SIZE), theme.style(Role::Text));
                let times = count(group.files.len() as u64);
                line.add(right(&times, FILES), theme.style(Role::Text));
                let first = group.files.first().map(|file| known.file(*file));
                let says = format!("  times {}", first.unwrap_or_default());
                line.add(
                    cut(&says, width.saturating_sub(22)),
                    theme.style(Role::Text),
                );
            }
        }
        CopyRow::Versions(group) => {
            let mark = fold_mark(theme, view, row);
            line.add(mark, theme.style(Role::Quiet));
            versions::of_group(theme, &mut line, view, group, width);
        }
        CopyRow::Version(group, file) => {
            if let Some(version) = view.version(group, file) {
                let place = known.file(version.file);
                versions::of_version(theme, &mut line, (view, version), &place, width);
            }
        }
        CopyRow::RestFile(at, file) => {
            let group = known.copies.groups.get(at);
            let file = group.and_then(|group| group.files.get(file));
            let path = file.map(|file| known.file(*file)).unwrap_or_default();
            line.to(SIZE + FILES + 5);
            line.add(
                cut(&path, width.saturating_sub(24)),
                theme.style(Role::Quiet),
            );
        }
    }
    line.line()
}

fn fold_mark(theme: &Theme, view: &CopiesView, row: CopyRow) -> String {
    let glyph = if view.opened.contains(&row) {
        theme.glyphs.open
    } else {
        theme.glyphs.closed
    };
    format!("{glyph} ")
}

fn of_pair(
    theme: &Theme,
    line: &mut Pieces<'_>,
    (view, known): (&CopiesView, &KnownCopies),
    (at, pair): (usize, &FolderPair),
    width: usize,
) {
    let path = path_width(width);
    let said = view.said_of(at);
    let text = theme.style(Role::Text);
    line.add(right(&bytes(pair.bytes), SIZE), text);
    line.add(right(&count(pair.groups.len() as u64), FILES), text);
    for (side, folder, only) in [
        (Side::A, pair.a, pair.only_a),
        (Side::B, pair.b, pair.only_b),
    ] {
        let goes = said.is_some_and(|choice| choice.stays != side);
        let style = match said {
            _ if view.meant.contains(&at) => theme.style(Role::Quiet),
            Some(_) if goes => theme.style(Role::Straw),
            Some(_) => theme.bold(Role::Text),
            None => text,
        };
        let place = known.place(folder);
        let place = if goes {
            format!(
                "{} {}",
                theme.glyphs.swept,
                cut_front(&place, path.saturating_sub(3))
            )
        } else {
            cut_front(&place, path.saturating_sub(1))
        };
        line.add("  ", text);
        line.add(left(&place, path), style);
        let only = match only {
            0 => theme.glyphs.none.to_owned(),
            only => count(only),
        };
        line.add(right(&only, ONLY), theme.style(Role::Quiet));
    }
}

/// Files of one sort that both have, and whether they go.
fn of_sort(theme: &Theme, line: &mut Pieces<'_>, view: &CopiesView, (at, sort): (usize, FileSort)) {
    let (files, held) = view.sums.get(&(at, sort)).copied().unwrap_or_default();
    let text = theme.style(Role::Text);
    line.add(right(&bytes(held), SIZE - 2), text);
    line.add(right(&count(files), FILES), text);
    line.add(format!("  {}", sort.plural()), text);
    let (says, role) = match view.said_of(at) {
        None => return,
        Some(choice) if choice.spares.contains(&sort) => ("both stay", Role::Quiet),
        Some(_) => ("one side's go", Role::Straw),
    };
    line.add(format!("   {says}"), theme.style(role));
}

/// One file that both have, with where it lies.
fn of_group(
    theme: &Theme,
    line: &mut Pieces<'_>,
    known: &KnownCopies,
    group: &CopyGroup,
    width: usize,
) {
    let quiet = theme.style(Role::Quiet);
    line.add("  ", quiet);
    line.add(right(&bytes(group.size), SIZE), quiet);
    line.add(right(&count(group.files.len() as u64), FILES), quiet);
    let files = group.files.iter().map(|file| known.file(*file));
    let files: Vec<String> = files.collect();
    let says = format!("  {}", files.join("  =  "));
    line.add(cut(&says, width.saturating_sub(22)), quiet);
}

/// What is in focus, in sentences.
fn card(theme: &Theme, view: &CopiesView, known: &KnownCopies, width: usize) -> Vec<Line<'static>> {
    let quiet = theme.style(Role::Quiet);
    let rule = Line::styled(theme.glyphs.rule.repeat(width), theme.style(Role::Faint));
    if let Some((group, at)) = view.focused_versions() {
        let mut all = vec![rule];
        all.extend(versions::card(theme, (view, known), (group, at), width));
        return all;
    }
    let Some((at, pair)) = view.focused_pair() else {
        let text = " These files fit no pair of folders; make a pile of a folder to decide about what lies there.";
        return vec![rule, Line::styled(cut(text, width), quiet)];
    };
    let place = |folder| known.place(folder);
    let whole = if pair.is_whole {
        ", with all that lies below them"
    } else {
        ""
    };
    let share = format!(
        " {} and {} share {}, {}{whole}.",
        place(pair.a),
        place(pair.b),
        counted(pair.groups.len() as u64, "file"),
        bytes(pair.bytes)
    );
    let only = format!(
        " {} only in the first, {} only in the other: these stay whatever is said.",
        counted(pair.only_a, "file"),
        count(pair.only_b)
    );
    let (last, style) = match (view.said_of(at), pair.stays) {
        _ if view.meant.contains(&at) => {
            let says = " They are meant to be the same.".to_owned();
            (says, quiet)
        }
        (Some(choice), _) => {
            let (kept, goes) = match choice.stays {
                Side::A => (pair.a, pair.b),
                Side::B => (pair.b, pair.a),
            };
            let spared: Vec<&str> = choice.spares.iter().map(|sort| sort.plural()).collect();
            let but = if spared.is_empty() {
                String::new()
            } else {
                format!(", but {},", spared.join(", "))
            };
            let says = format!(
                " What both have{but} goes from {}; {} stays.",
                place(goes),
                place(kept)
            );
            (says, theme.style(Role::Straw))
        }
        (None, Some((stays, why))) => {
            let kept = match stays {
                Side::A => pair.a,
                Side::B => pair.b,
            };
            let says = format!(" {} had better stay: {}.", place(kept), why.words());
            (says, theme.style(Role::Text))
        }
        (None, None) => (" Nothing speaks for one of them.".to_owned(), quiet),
    };
    vec![
        rule,
        Line::styled(cut(&share, width), theme.style(Role::Text)),
        Line::styled(cut(&only, width), quiet),
        Line::styled(cut(&last, width), style),
    ]
}
