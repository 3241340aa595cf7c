//! A pile from inside: its folders and files, what of them goes, and why.

mod card;

use jolly_core::decide::{Choice, Disposition, Entry, EntryId, Trashed};
use jolly_core::format::Printable;
use jolly_core::pile::Sum;
use jolly_core::rule::{BAND_COUNT, Verdict, band_of};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::Line;

use crate::tui::areas::{first_row, list_room};
use crate::tui::columns::ALL_BANDS;
use crate::tui::draw::{Pieces, cut, cut_front, left, right};
use crate::tui::model::{InsideRow, InsideView, OpenPile, Weigh};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::weigh::bars::Bars;
use crate::tui::view::weigh::with_card;
use crate::tui::view::{edge, lines, raise};
use crate::wording::{age, count};

/// Cells of one age bar: fewer than outside, for names need room here.
const CELLS: usize = 2;
/// Width of the age bars.
const BARS: usize = BAND_COUNT * (CELLS + 1) + 1;
/// Width of an age.
const AGE: usize = 12;
/// Width of a size.
const SIZE: usize = 11;
/// Width of a count of files.
const FILES: usize = 9;
/// Width of why something goes or stays.
const WHY: usize = 18;
/// Columns before a name: the edge and the mark.
const MARKS: usize = 3;
/// Columns of one step into a folder.
const STEP: usize = 2;

/// Which columns fit: bars go first, then files, then what was found.
struct InsideColumns {
    name: usize,
    has_bars: bool,
    has_files: bool,
    has_found: bool,
}

impl InsideColumns {
    fn fit(width: usize) -> Self {
        let mut columns = Self {
            name: 0,
            has_bars: true,
            has_files: true,
            has_found: true,
        };
        let least = 26;
        if columns.others() + least > width {
            columns.has_bars = false;
        }
        if columns.others() + least > width {
            columns.has_files = false;
        }
        if columns.others() + least > width {
            columns.has_found = false;
        }
        columns.name = width.saturating_sub(columns.others());
        columns
    }

    fn others(&self) -> usize {
        let part = |has: bool, wide: usize| if has { wide } else { 0 };
        MARKS
            + AGE
            + SIZE
            + WHY
            + part(self.has_bars, BARS)
            + part(self.has_found, SIZE)
            + part(self.has_files, FILES)
    }
}

/// What every row is drawn from.
struct Page<'a> {
    theme: &'a Theme,
    weigh: &'a Weigh,
    view: &'a InsideView,
    opened: &'a OpenPile,
    columns: InsideColumns,
}

pub(super) fn draw(
    theme: &Theme,
    weigh: &Weigh,
    view: &InsideView,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let Some(opened) = &view.opened else {
        let text = format!("   {}: being opened", weigh.name_of(view.pile));
        return lines(
            frame,
            area,
            vec![Line::styled(text, theme.style(Role::Quiet))],
        );
    };
    let page = Page {
        theme,
        weigh,
        view,
        opened,
        columns: InsideColumns::fit(usize::from(area.width)),
    };
    let room = list_room(area);
    let first = first_row(view.focus, view.len(), room);
    let mut all = vec![page.heading()];
    for at in first..view.len().min(first + room) {
        let Some((row, depth)) = view.row(at) else {
            break;
        };
        let is_focus = at == view.focus;
        let line = page.row(row, depth, is_focus);
        all.push(if is_focus {
            raise(theme, line, area.width)
        } else {
            line
        });
    }
    if view.len() == 0 {
        let text = "   Nothing is in this pile any more.";
        all.push(Line::styled(text, theme.style(Role::Quiet)));
    }
    let below = view.len().saturating_sub(first + room);
    with_card(theme, frame, area, (all, below), |frame, card| {
        let width = usize::from(card.width).saturating_sub(2);
        let rule = format!(" {}", theme.glyphs.rule.repeat(width));
        let mut card_lines = vec![Line::styled(rule, theme.style(Role::Faint))];
        if let Some(row) = view.focused() {
            card_lines.extend(page.card(row, width));
        }
        lines(frame, card, card_lines);
    });
}

impl Page<'_> {
    fn heading(&self) -> Line<'static> {
        let (theme, scan) = (self.theme, &self.weigh.scan);
        let quiet = theme.style(Role::Quiet);
        let class = self.weigh.class_of(self.view.pile);
        let mut line = Pieces::default();
        line.add(
            format!(" {} ", theme.class_glyph(class)),
            theme.style(Theme::class_role(class)),
        );
        let limit = self.weigh.decisions.of(self.view.pile).limit;
        let limit = limit.map_or_else(
            || "any age".to_owned(),
            |limit| format!("older than {limit}"),
        );
        let top = self.opened.inside.top();
        let place = self.opened.inside.name(scan, top);
        let title = self.weigh.name_of(self.view.pile);
        let dot = theme.glyphs.dot;
        let rest = format!(" {dot} {limit} {dot} {}", self.view.order.words());
        let room = (MARKS + self.columns.name + if self.columns.has_bars { BARS } else { 0 })
            .saturating_sub(line.width() + 1);
        let title = cut(&title, room);
        let left_over = room.saturating_sub(title.chars().count());
        line.add(title, theme.bold(Role::Text));
        line.add(cut(&rest, left_over), quiet);
        let left_over = room.saturating_sub(line.width());
        let place = Printable(&place).to_string();
        if !place.is_empty() && left_over > 12 && place != "/" {
            let shown = cut_front(&place, left_over - 6);
            line.add(format!("   in {shown}"), quiet);
        }
        line.to(room + MARKS + 1);
        line.add(right("age ", AGE), quiet);
        line.add(right("takes", SIZE), quiet);
        if self.columns.has_found {
            line.add(right("of", SIZE), quiet);
        }
        if self.columns.has_files {
            line.add(right("files", FILES), quiet);
        }
        line.line()
    }

    fn row(&self, row: InsideRow, depth: usize, is_focus: bool) -> Line<'static> {
        let theme = self.theme;
        let mut line = Pieces::default();
        line.add(edge(theme, is_focus), theme.style(Role::Straw));
        let indent = " ".repeat((depth * STEP).min(self.columns.name / 2));
        match row {
            InsideRow::Entry(id) => self.entry(&mut line, id, &indent),
            InsideRow::Other(folder, at) => self.other(&mut line, folder, at, &indent),
            InsideRow::More(_) => {
                let text = format!("  {indent}  more may lie here that is not of this pile");
                line.add(text, theme.style(Role::Faint));
            }
        }
        line.line()
    }

    fn entry(&self, line: &mut Pieces<'_>, id: EntryId, indent: &str) {
        let (theme, weigh) = (self.theme, self.weigh);
        let (scan, inside) = (&weigh.scan, &self.opened.inside);
        let class = weigh.class_of(self.view.pile);
        let found = inside.found(scan, id);
        let takes = self.opened.takes(scan, &weigh.decisions, id);
        let is_estimated = scan.is_estimated(self.view.pile);
        let is_folder = inside.is_folder(id);
        let [all, part, none] = theme.part_glyphs();
        let mark = match takes.items {
            0 => none,
            items if items == found.items => all,
            _ => part,
        };
        line.add(format!("{mark} "), theme.style(Theme::class_role(class)));
        let sign = match (is_folder, self.view.is_open(id)) {
            (true, true) => theme.glyphs.open,
            (true, false) => theme.glyphs.closed,
            (false, _) => " ",
        };
        line.add(format!("{indent}{sign} "), theme.style(Role::Quiet));
        let name = inside.shown_name(scan, id);
        let slash = if is_folder && !inside.is_list(scan, id) {
            "/"
        } else {
            ""
        };
        let room = (MARKS + self.columns.name).saturating_sub(line.width());
        line.add(
            left(&format!("{name}{slash}"), room),
            theme.style(Role::Text),
        );
        if self.columns.has_bars {
            self.middle(line, id, takes);
        }
        let old = age(inside.age(scan, id));
        line.add(right(&format!("{old} "), AGE), theme.style(Role::Quiet));
        let shown = match takes.items {
            0 => theme.glyphs.none.to_owned(),
            _ => theme.size(takes.bytes, is_estimated),
        };
        line.add(right(&shown, SIZE), theme.style(Role::Text));
        if self.columns.has_found {
            let found = theme.size(found.bytes, is_estimated);
            line.add(right(&found, SIZE), theme.style(Role::Quiet));
        }
        if self.columns.has_files {
            let files = if is_folder {
                count(found.items)
            } else {
                String::new()
            };
            line.add(right(&files, FILES), theme.style(Role::Quiet));
        }
        let why = self.short_why(id, takes);
        line.add(
            format!("  {}", cut(&why, WHY - 2)),
            theme.style(Role::Straw),
        );
    }

    /// The age bars, or of a thing in a trash where it lay.
    fn middle(&self, line: &mut Pieces<'_>, id: EntryId, takes: Sum) {
        let (scan, inside) = (&self.weigh.scan, &self.opened.inside);
        if let Some(Trashed {
            original: Some(original),
            ..
        }) = inside.trashed(id)
        {
            let text = format!(" from {}", cut_front(original, BARS - 8));
            line.add(left(&text, BARS), self.theme.style(Role::Quiet));
            return;
        }
        let mut bands = [0_u64; BAND_COUNT];
        match (
            inside.bands(id),
            bands.get_mut(band_of(inside.age(scan, id))),
        ) {
            (Some(held), _) => {
                for (band, blocks) in bands.iter_mut().zip(held) {
                    *band = u64::from(*blocks);
                }
            }
            (None, Some(band)) => *band = 1,
            (None, None) => {}
        }
        let bars = Bars {
            goes: takes.items > 0,
            // An item goes or stays as a whole.
            limit: self
                .weigh
                .decisions
                .of(self.view.pile)
                .limit
                .filter(|_| inside.is_folder(id)),
            class: self.weigh.class_of(self.view.pile),
            bands: &ALL_BANDS,
            cells: CELLS as u64,
        };
        bars.draw(self.theme, line, &bands);
        line.add(" ", Style::new());
    }

    fn other(&self, line: &mut Pieces<'_>, folder: EntryId, at: usize, indent: &str) {
        let theme = self.theme;
        let Some(other) = self.view.others(folder).and_then(|all| all.all.get(at)) else {
            return;
        };
        line.add("  ", Style::new());
        let name = Printable(&other.name).to_string();
        let room = (MARKS + self.columns.name).saturating_sub(line.width());
        let text = left(&format!("{indent}  {name}"), room);
        line.add(text, theme.style(Role::Quiet));
        let pile = self.weigh.scan.pile(self.view.pile);
        let is_taken = matches!(other.verdict, Verdict::Taken | Verdict::Young);
        let said = match other.rule.filter(|rule| is_taken && *rule != pile.rule) {
            Some(rule) => {
                let rule = self.weigh.scan.rules.rule(rule);
                format!("of another pile: {}", rule.rule.title)
            }
            None => format!("stays: {}", other.reason),
        };
        let room = BARS + AGE + SIZE;
        let said = format!(" {}", cut(&said, room));
        line.add(said, theme.style(Role::Faint));
    }

    /// Why something goes or stays, in a few words.
    fn short_why(&self, id: EntryId, takes: Sum) -> String {
        let weigh = self.weigh;
        let node = self.opened.inside.node(&weigh.scan, id);
        match self.opened.inside.entry(&weigh.scan, id) {
            Some(Entry::Item(item)) => {
                if let Some(program) = weigh.program(item) {
                    return format!("open in {}", program.program);
                }
                match weigh.decisions.standing(&weigh.scan, item) {
                    Disposition::Goes | Disposition::PileLeft | Disposition::NotIncluded => {
                        String::new()
                    }
                    Disposition::GoesByHand => "taken by hand".to_owned(),
                    Disposition::Young(_) => "too young".to_owned(),
                    Disposition::Excluded(_) => "excluded".to_owned(),
                    Disposition::LeftByHand => "left by hand".to_owned(),
                    Disposition::StaysWithThing => "stays with it".to_owned(),
                    Disposition::Blocked => "locked".to_owned(),
                }
            }
            Some(Entry::Folder(folder)) => {
                let excluded = weigh
                    .decisions
                    .exclusion_of(&weigh.scan, self.view.pile, folder);
                match (excluded, node.and_then(|node| weigh.decisions.choice(node))) {
                    (Some(_), _) => "excluded".to_owned(),
                    (None, Some(Choice::Leave)) => "left by hand".to_owned(),
                    (None, Some(Choice::Take)) if takes.items > 0 => "taken by hand".to_owned(),
                    (None, Some(Choice::Take)) => "too young".to_owned(),
                    (None, None) => String::new(),
                }
            }
            None => String::new(),
        }
    }
}
