//! The lens that shows where the space is: a row of shelves a level, as wide as what they hold and paler the longer nobody
//! used it, and the list of what lies there.

use jolly_core::format::Printable;
use jolly_core::survey::{Part, Shelf, Space};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};
use ratatui::text::Line;

use crate::tui::areas::{first_row, space_extent, space_room};
use crate::tui::draw::{Pieces, cut, cut_front, left, right};
use crate::tui::model::{Context, Model, SpaceList, SpaceView};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::{edge, keyline, lines, page, raise};
use crate::wording::{age, bytes, count, counted, date, shade_of, since};

/// Widths of the figures.
const SIZE: usize = 11;
const FILES: usize = 12;
const USED: usize = 18;
const GREW: usize = 12;
const FOUND: usize = 14;

/// Blocks of fewer cells have no name.
const NAMED: usize = 4;

pub(super) fn draw(
    model: &Model,
    view: &SpaceView,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let [work, message, keys] = page(theme, frame, area);
    let width = usize::from(work.width);
    let mut rows = vec![title(theme, view), sums(theme, view, width)];
    match &view.space {
        None => rows.extend(walking(theme, view)),
        Some(space) => {
            let (_, levels) = space_extent(model.size);
            if !theme.is_spoken() {
                rows.extend(shelves(theme, (view, space), levels));
            }
            rows.push(heading(theme, view, width));
            let room = space_room(model.size, theme.is_spoken());
            let first = first_row(view.focus, view.rows.len(), room);
            for (at, part) in view.rows.iter().enumerate().skip(first).take(room) {
                let is_focus = at == view.focus;
                let line = row(theme, (view, space), (at, *part), (is_focus, width));
                rows.push(if is_focus {
                    raise(theme, line, work.width)
                } else {
                    line
                });
            }
            if view.rows.is_empty() {
                let text = match view.list {
                    SpaceList::Here => "   Nothing lies in this folder.",
                    SpaceList::Unused => "   Everything was used within a year.",
                    SpaceList::Lying => "   Nothing lies in downloads or on a desktop.",
                    SpaceList::Grown => "   Nothing grew since the last visit.",
                };
                rows.push(Line::styled(text, theme.style(Role::Quiet)));
            }
        }
    }
    lines(frame, work, rows);
    let told = model.message.clone();
    let told = told.map(|text| (text, Role::Straw)).or_else(|| {
        let said = card(view)?;
        Some((said, Role::Text))
    });
    if let Some((text, role)) = told {
        let line = Line::styled(format!(" {}", cut(&text, width)), theme.style(role));
        lines(frame, message, vec![Line::default(), line]);
    }
    keyline::draw(model, Context::Space, theme, frame, keys);
}

fn title(theme: &Theme, view: &SpaceView) -> Line<'static> {
    let mut line = Pieces::default();
    line.add(" Where the space is", theme.bold(Role::Straw));
    if let Some(space) = &view.space {
        let here = Part::Folder(view.folder);
        let held = space.held(here);
        let says = format!(
            "   {}   {} in {}",
            space.path(here),
            bytes(held.bytes),
            counted(held.files, "file")
        );
        line.add(says, theme.style(Role::Text));
        if held.found > 0 {
            let found = format!("   rules found {}", bytes(held.found));
            line.add(found, theme.style(Role::Straw));
        }
    }
    line.line()
}

/// How all of it adds up to the volume.
fn sums(theme: &Theme, view: &SpaceView, width: usize) -> Line<'static> {
    let Some(space) = &view.space else {
        return Line::default();
    };
    let whole = space.whole();
    let mut parts = vec![format!("{} counted", bytes(whole.counted))];
    for (held, words) in [
        (whole.snapshots, "in snapshots alone"),
        (whole.unexplained, "no file here explains"),
        (whole.reserved, "reserved"),
        (whole.free, "free"),
    ] {
        if held > 0 {
            parts.push(format!("{} {words}", bytes(held)));
        }
    }
    let mut says = vec![format!("{} = {}", bytes(whole.size()), parts.join(" + "))];
    if whole.shared > 0 {
        says.push(format!("less {} that files share", bytes(whole.shared)));
    }
    let unread = space.tree.unread.iter().map(|one| one.count).sum::<u64>();
    if unread > 0 {
        says.push(format!("{} not read", counted(unread, "folder")));
    }
    let apart = space.tree.apart.len() as u64;
    if apart > 0 {
        says.push(format!("{} apart", count(apart)));
    }
    let says = says.join("   ");
    Line::styled(
        format!(" {}", cut(&says, width.saturating_sub(2))),
        theme.style(Role::Quiet),
    )
}

/// What is known while everything is walked.
fn walking(theme: &Theme, view: &SpaceView) -> Vec<Line<'static>> {
    let quiet = theme.style(Role::Quiet);
    let looked_at = count(view.news.looked_at);
    let text = format!("   Looking at everything once: {looked_at} names so far …");
    let mut rows = vec![Line::default(), Line::styled(text, quiet), Line::default()];
    let mut top: Vec<&(String, u64)> = view.news.top.iter().collect();
    top.sort_by(|one, other| (other.1, &one.0).cmp(&(one.1, &other.0)));
    rows.extend(top.into_iter().map(|(name, held)| {
        let mut line = Pieces::default();
        line.add(right(&bytes(*held), SIZE + 3), theme.style(Role::Text));
        line.add(format!("   {name}"), quiet);
        line.line()
    }));
    rows
}

/// The shelves: two rows a level, names in the first and what rules found in the second.
fn shelves(
    theme: &Theme,
    (view, space): (&SpaceView, &Space),
    levels: usize,
) -> Vec<Line<'static>> {
    let mut rows = Vec::new();
    for level in 0..levels {
        let own = view.shelves.iter().filter(|shelf| shelf.level == level);
        let mut own: Vec<&Shelf> = own.collect();
        own.sort_by_key(|shelf| shelf.from);
        let (mut names, mut marks) = (Pieces::default(), Pieces::default());
        names.to(1);
        marks.to(1);
        for shelf in own {
            let block = Block::of(theme, (view, space), shelf);
            names.to(block.from + 1);
            marks.to(block.from + 1);
            block.draw(theme, &mut names, &mut marks);
        }
        rows.push(names.line());
        rows.push(marks.line());
    }
    rows.push(legend(theme));
    rows
}

/// What shades and marks say.
fn legend(theme: &Theme) -> Line<'static> {
    let quiet = theme.style(Role::Quiet);
    let mut line = Pieces::default();
    line.add(" last used ", quiet);
    for (shade, name) in ["this month", "3 months", "1 year", "3 years", "longer ago"]
        .into_iter()
        .enumerate()
    {
        line.add(format!(" {name} "), theme.shade(shade));
    }
    line.add("   ", quiet);
    line.add(theme.glyphs.share[1].repeat(2), theme.mark());
    line.add(" rules found this", quiet);
    line.line()
}

/// One part as it is drawn.
struct Block {
    from: usize,
    width: usize,
    name: String,
    style: Style,
    /// Cells of what rules found.
    found: usize,
}

impl Block {
    fn of(theme: &Theme, (view, space): (&SpaceView, &Space), shelf: &Shelf) -> Self {
        let held = space.held(shelf.part);
        let cells = |edge: u64| usize::try_from(edge).unwrap_or(0);
        let (from, to) = (cells(shelf.from), cells(shelf.to));
        let is_focus = view.focused() == Some(shelf.part);
        let shade = shade_of(held.touched, view.now.as_second());
        let name = if shelf.level == 0 {
            space.path(shelf.part).to_string()
        } else {
            Printable(space.name(shelf.part)).to_string()
        };
        let width = to.saturating_sub(from);
        let found = u128::from(held.found) * width as u128;
        let found = found.div_ceil(u128::from(held.bytes.max(1)));
        let style = if is_focus {
            theme.chosen()
        } else {
            theme.shade(shade)
        };
        Self {
            from,
            width,
            name: format!("{name} {}", bytes(held.bytes)),
            style,
            found: usize::try_from(found).unwrap_or(width).min(width),
        }
    }

    /// Its first cell is its edge.
    fn draw(&self, theme: &Theme, names: &mut Pieces<'_>, marks: &mut Pieces<'_>) {
        let edge_style = self.style.fg(theme.ground().bg.unwrap_or_default());
        let inner = self.width.saturating_sub(1);
        let name = if self.width >= NAMED {
            left(&self.name, inner)
        } else {
            " ".repeat(inner)
        };
        names.add(theme.glyphs.cut, edge_style);
        names.add(name, self.style);
        marks.add(theme.glyphs.cut, edge_style);
        let found = self.found.min(inner);
        let mark = theme.glyphs.share[1].repeat(found);
        let straw = self.style.patch(theme.mark());
        marks.add(mark, straw);
        marks.add(" ".repeat(inner - found), self.style);
    }
}

fn heading(theme: &Theme, view: &SpaceView, width: usize) -> Line<'static> {
    let quiet = theme.style(Role::Quiet);
    let what = match view.list {
        SpaceList::Here => "what lies here, the largest first".to_owned(),
        SpaceList::Unused => "unused for a year, the largest first".to_owned(),
        SpaceList::Lying => "downloads and desktop: a list to tidy up by".to_owned(),
        SpaceList::Grown => format!("what grew since {}, the most first", last_look(view)),
    };
    let columns = SpaceColumns::fit(view, width);
    let mut line = Pieces::default();
    line.add("   ", quiet);
    line.add(
        left(&what, columns.name),
        quiet.add_modifier(Modifier::BOLD),
    );
    line.add(right("size", SIZE), quiet);
    if columns.has_files {
        line.add(right("files", FILES), quiet);
    }
    line.add(right("last used", USED), quiet);
    if columns.has_grown {
        line.add(right("grew", GREW), quiet);
    }
    if columns.likely > 0 {
        let room = columns.likely.saturating_sub(2);
        line.add(format!("  {}", left("what it likely is", room)), quiet);
    } else {
        line.add(right("rules found", FOUND), quiet);
    }
    line.line()
}

/// The day of the look that this one is held against.
fn last_look(view: &SpaceView) -> String {
    let before = view.space.as_ref().and_then(|space| space.before.as_ref());
    before.map_or_else(String::new, |before| date(before.when.as_second()))
}

/// Which columns fit.
struct SpaceColumns {
    name: usize,
    has_files: bool,
    has_grown: bool,
    /// Columns of what it likely is, in place of the figures; none where that isn't listed.
    likely: usize,
}

impl SpaceColumns {
    fn fit(view: &SpaceView, width: usize) -> Self {
        /// From here on how many files a folder has is shown, too.
        const WIDE: usize = 110;
        let is_lying = view.list == SpaceList::Lying;
        let likely = if is_lying {
            (width * 3 / 10).min(44)
        } else {
            0
        };
        let has_files = width >= WIDE && !is_lying;
        let has_grown = view.knows_before() && !is_lying;
        let files = if has_files { FILES } else { 0 };
        let grew = if has_grown { GREW } else { 0 };
        let last = if is_lying { likely } else { FOUND };
        Self {
            name: width.saturating_sub(4 + SIZE + files + USED + grew + last),
            has_files,
            has_grown,
            likely,
        }
    }
}

fn row(
    theme: &Theme,
    (view, space): (&SpaceView, &Space),
    (at, part): (usize, Part),
    (is_focus, width): (bool, usize),
) -> Line<'static> {
    let held = space.held(part);
    let text = theme.style(Role::Text);
    let quiet = theme.style(Role::Quiet);
    let mut line = Pieces::default();
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    line.add(
        match part {
            Part::Folder(_) => format!("{} ", theme.glyphs.closed),
            Part::File(_) => "  ".to_owned(),
        },
        quiet,
    );
    let name = view.name_of(part);
    let columns = SpaceColumns::fit(view, width);
    let room = columns.name;
    let name = match view.list {
        SpaceList::Here => left(&name, room),
        SpaceList::Unused | SpaceList::Lying | SpaceList::Grown => {
            left(&cut_front(&name, room), room)
        }
    };
    line.add(name, text);
    line.add(right(&bytes(held.bytes), SIZE), text);
    let files = match part {
        Part::Folder(_) => count(held.files),
        Part::File(_) => String::new(),
    };
    if columns.has_files {
        line.add(right(&files, FILES), quiet);
    }
    let now = view.now.as_second();
    let used = held.touched.map(|at| since(at, now)).unwrap_or_default();
    line.add(right(&used, USED), quiet);
    if columns.has_grown {
        let grew = space.grew(part).map(|grew| format!("+{}", bytes(grew)));
        let style = theme.style(Role::Ask);
        line.add(right(&grew.unwrap_or_default(), GREW), style);
    }
    if let Some(likely) = view.likely(at) {
        let room = columns.likely.saturating_sub(2);
        line.add(format!("  {}", left(&likely, room)), text);
        return line.line();
    }
    let found = if held.found > 0 {
        bytes(held.found)
    } else {
        String::new()
    };
    line.add(right(&found, FOUND), theme.style(Role::Straw));
    line.line()
}

/// What is in focus, in a line.
fn card(view: &SpaceView) -> Option<String> {
    let (space, part) = (view.space.as_ref()?, view.focused()?);
    let held = space.held(part);
    let now = view.now.as_second();
    let passed = |at: i64| age(now.saturating_sub(at).max(0).unsigned_abs());
    let used = held
        .touched
        .map_or_else(String::new, |at| format!(", used {} ago", passed(at)));
    Some(format!(
        "{}: {}, changed {} ago{used}",
        space.path(part),
        bytes(held.bytes),
        passed(held.changed)
    ))
}
