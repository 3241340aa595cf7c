//! The check station: what will be noticed, what has to be known, and the list itself.

use jolly_core::computer::EntryKind;
use jolly_core::format::Printable;
use jolly_core::pile::Sum;
use jolly_core::plan::ManifestItem;
use jolly_core::report::Notice;
use jolly_core::rule::Removal;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::areas::first_row;
use crate::tui::draw::{Pieces, cut, cut_front, left, right, wrap};
use crate::tui::model::{Check, CheckRow, Model, WORD};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::{edge, lines, raise};
use crate::wording::{bytes, count, counted};

/// Where a fact's words start.
const COLUMN: usize = 15;

/// Widths of a size, of whom it concerns, of what it is because of.
const SIZE: usize = 11;
const WHO: usize = 18;
const BECAUSE: usize = 36;

/// The longest sentence that is read in one go, and the shortest that says enough.
const SENTENCE: usize = 78;
const SHORT_SENTENCE: usize = 44;

pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let Some(check) = &model.check else { return };
    let quiet = theme.style(Role::Quiet);
    let Some(manifest) = &check.manifest else {
        let text = " Making the list of what goes…";
        return lines(frame, area, vec![Line::styled(text, quiet)]);
    };
    if manifest.items.is_empty() {
        let text =
            " Nothing is taken, so nothing goes. What is taken at weigh would be listed here.";
        return lines(frame, area, vec![Line::styled(text, quiet)]);
    }
    let width = usize::from(area.width).saturating_sub(1);
    let mut all = sums(theme, check);
    all.push(Line::default());
    let columns = Columns::fit(width);
    // Below stand what is in focus in full, and the word, with a gap each.
    let room = usize::from(area.height).saturating_sub(all.len() + 3 + DETAIL);
    let first = first_row(check.focus, check.count(), room);
    let is_list = matches!(
        check.row(first),
        Some(CheckRow::Pile(_) | CheckRow::Folder(_) | CheckRow::Item(_))
    );
    all.push(columns.heading(theme, is_list));
    for at in first..check.count().min(first + room) {
        let Some(row) = check.row(at) else { break };
        let is_focus = at == check.focus;
        let page = Page {
            theme,
            check,
            columns: &columns,
            width,
        };
        let line = page.row(row, is_focus);
        all.push(if is_focus {
            raise(theme, line, area.width)
        } else {
            line
        });
    }
    let used = all.len();
    all.push(Line::default());
    all.extend(detail(theme, check, width));
    all.resize(used + 1 + DETAIL, Line::default());
    all.push(word(theme, check, width));
    lines(frame, area, all);
}

/// Lines for what is in focus in full: rows cut what doesn't fit.
const DETAIL: usize = 2;

/// What is in focus in full.
fn detail(theme: &Theme, check: &Check, width: usize) -> Vec<Line<'static>> {
    let words = match check.focused() {
        Some(CheckRow::Notice(at)) => check.notices.get(at).map(|notice| {
            let because = notice.because.join(", ");
            format!(
                "{} Noticed by {}, because of: {because}.",
                notice.what,
                notice.who.join(", ")
            )
        }),
        Some(CheckRow::Fact(at)) => check.known.get(at).map(|fact| fact.says.clone()),
        Some(CheckRow::Folder(at)) => {
            let folder = check.list.folders.get(at);
            folder.map(|folder| folder.path.to_string())
        }
        Some(CheckRow::Item(at)) => check.item(at).map(|item| item.shown()),
        _ => None,
    };
    let words = words.unwrap_or_default();
    let wide = width.saturating_sub(1);
    let style = theme.style(Role::Quiet);
    let wrapped = wrap(&words, wide).into_iter().take(DETAIL);
    wrapped
        .map(|line| Line::styled(format!(" {line}"), style))
        .collect()
}

/// What goes for good, and what is set aside.
fn sums(theme: &Theme, check: &Check) -> Vec<Line<'static>> {
    let (text, quiet, straw) = (
        theme.style(Role::Text),
        theme.style(Role::Quiet),
        theme.bold(Role::Straw),
    );
    let mut first = Pieces::default();
    first
        .add(" You are about to remove ", text)
        .add(counted(check.gone.items, "item"), straw)
        .add(" for good: ", text)
        .add(bytes(check.gone.bytes), straw)
        .add(".", text);
    let mut all = vec![first.line()];
    for (what, sum, after) in [
        (
            " To be set aside: ",
            check.aside,
            "Each can be brought back.",
        ),
        (
            " To share the bytes of those that stay: ",
            check.shared,
            "Each keeps its name.",
        ),
    ] {
        if sum.items > 0 {
            let mut line = Pieces::default();
            line.add(what, text)
                .add(counted(sum.items, "item"), theme.bold(Role::Text))
                .add(", ", text)
                .add(bytes(sum.bytes), theme.bold(Role::Text))
                .add(format!(". {after}"), quiet);
            all.push(line.line());
        }
    }
    all
}

/// Which columns of the table fit.
struct Columns {
    sentence: usize,
    who: usize,
    because: usize,
}

impl Columns {
    /// The marks, the sentence, whom, because of what, how much: the reason goes first.
    fn fit(width: usize) -> Self {
        let fixed = 3 + SIZE;
        let because = width.saturating_sub(fixed + WHO + SHORT_SENTENCE + 20);
        let because = if because >= 20 {
            because.min(BECAUSE)
        } else {
            0
        };
        let who = if width < 100 { WHO / 2 + 2 } else { WHO };
        Self {
            sentence: width.saturating_sub(fixed + who + because).min(SENTENCE),
            who,
            because,
        }
    }

    fn heading(&self, theme: &Theme, is_list: bool) -> Line<'static> {
        let quiet = theme.style(Role::Quiet);
        let mut line = Pieces::default();
        if is_list {
            let names = 3 + self.sentence + self.who + self.because;
            line.add(
                left("   the list: exactly this goes", names.saturating_sub(SIZE)),
                quiet,
            );
            line.add(right("items", SIZE), quiet);
            line.add(right("goes", SIZE), quiet);
            return line.line();
        }
        line.add("   ", quiet);
        line.add(left("what will be noticed", self.sentence), quiet);
        line.add(left("by whom", self.who), quiet);
        if self.because > 0 {
            line.add(left("because of", self.because), quiet);
        }
        line.add(right("goes", SIZE), quiet);
        line.line()
    }
}

struct Page<'a> {
    theme: &'a Theme,
    check: &'a Check,
    columns: &'a Columns,
    width: usize,
}

impl Page<'_> {
    fn row(&self, row: CheckRow, is_focus: bool) -> Line<'static> {
        let theme = self.theme;
        let mut line = Pieces::default();
        line.add(edge(theme, is_focus), theme.style(Role::Straw));
        match row {
            CheckRow::Notice(at) => {
                if let Some(notice) = self.check.notices.get(at) {
                    self.notice(&mut line, notice);
                }
            }
            CheckRow::Small => self.small(&mut line),
            CheckRow::Unnoticed => self.unnoticed(&mut line),
            CheckRow::Fact(at) => self.fact(&mut line, at),
            CheckRow::List => self.list(&mut line),
            CheckRow::Pile(at) => self.pile(&mut line, at),
            CheckRow::Folder(at) => self.folder(&mut line, at),
            CheckRow::Item(at) => {
                if let Some(item) = self.check.item(at) {
                    self.item(&mut line, &item);
                }
            }
            CheckRow::Gap => {}
        }
        line.line()
    }

    fn notice(&self, line: &mut Pieces<'_>, notice: &Notice) {
        let (theme, columns) = (self.theme, self.columns);
        let role = Theme::class_role(notice.class);
        let sign = format!("{} ", theme.class_glyph(notice.class));
        line.add(sign, theme.style(role));
        let what = left(&notice.what, columns.sentence.saturating_sub(1));
        line.add(format!("{what} "), theme.style(Role::Text));
        let who = left(&notice.who.join(", "), columns.who.saturating_sub(1));
        line.add(format!("{who} "), theme.style(Role::Text));
        if columns.because > 0 {
            let because = match notice.because.as_slice() {
                [one] => one.clone(),
                [one, rest @ ..] => format!("{one} and {} more", rest.len()),
                [] => String::new(),
            };
            let because = left(&because, columns.because);
            line.add(because, theme.style(Role::Quiet));
        }
        line.add(right(&bytes(notice.sum.bytes), SIZE), theme.style(role));
    }

    fn small(&self, line: &mut Pieces<'_>) {
        let (theme, columns) = (self.theme, self.columns);
        let sign = if self.check.is_small_open {
            theme.glyphs.open
        } else {
            theme.glyphs.closed
        };
        let mut sum = Sum::default();
        self.check.small().for_each(|notice| sum.add(notice.sum));
        let many = self.check.small().count();
        let things = counted(many as u64, "smaller thing");
        let words = format!("{sign} and {things}; enter tells them one by one");
        let room = 2 + columns.sentence + columns.who + columns.because;
        line.add(left(&words, room), theme.style(Role::Quiet));
        line.add(right(&bytes(sum.bytes), SIZE), theme.style(Role::Quiet));
    }

    fn unnoticed(&self, line: &mut Pieces<'_>) {
        let (theme, columns) = (self.theme, self.columns);
        let nothing = &self.check.unnoticed;
        if nothing.piles == 0 {
            let words = if self.check.notices.is_empty() {
                ""
            } else {
                "  That is all that goes."
            };
            line.add(words, theme.style(Role::Quiet));
            return;
        }
        let words = format!(
            "  Nobody will notice the rest: {}, {}.",
            counted(nothing.piles, "pile"),
            counted(nothing.sum.items, "item")
        );
        let room = 2 + columns.sentence + columns.who + columns.because;
        line.add(left(&words, room), theme.style(Role::Quiet));
        line.add(
            right(&bytes(nothing.sum.bytes), SIZE),
            theme.style(Role::Quiet),
        );
    }

    fn fact(&self, line: &mut Pieces<'_>, at: usize) {
        let theme = self.theme;
        let Some(fact) = self.check.known.get(at) else {
            return;
        };
        let about = left(fact.about, COLUMN - 3);
        line.add(format!("  {about}"), theme.style(Role::Quiet));
        let role = if fact.is_warning {
            Role::Ask
        } else {
            Role::Text
        };
        let says = cut(&fact.says, self.width.saturating_sub(COLUMN));
        line.add(says, theme.style(role));
    }

    fn list(&self, line: &mut Pieces<'_>) {
        let (theme, list) = (self.theme, &self.check.list);
        let items = counted(list.sum.items, "item");
        let words = if list.words.is_empty() {
            format!("  Exactly this goes: {items}. enter opens, / narrows it.")
        } else {
            format!(
                "  Of the list {items} hold \"{}\". / with nothing shows all again.",
                list.words
            )
        };
        line.add(cut(&words, self.width), theme.style(Role::Quiet));
    }

    /// How a row of the list ends: how many, how much.
    fn figures(&self, line: &mut Pieces<'_>, items: u64, size: &str) {
        let theme = self.theme;
        line.add(right(&count(items), SIZE), theme.style(Role::Quiet));
        line.add(right(size, SIZE), theme.style(Role::Text));
    }

    /// Columns of names, before the figures.
    fn names(&self) -> usize {
        let table = 3 + self.columns.sentence + self.columns.who + self.columns.because + SIZE;
        table.saturating_sub(2 * SIZE)
    }

    fn pile(&self, line: &mut Pieces<'_>, at: usize) {
        let theme = self.theme;
        let Some(pile) = self.check.list.piles.get(at) else {
            return;
        };
        let is_open = self.check.open_pile == Some(at);
        let sign = if is_open {
            theme.glyphs.open
        } else {
            theme.glyphs.closed
        };
        let role = Theme::class_role(pile.class);
        line.add(format!("{sign} "), theme.style(Role::Quiet));
        line.add(
            format!("{} ", theme.class_glyph(pile.class)),
            theme.style(role),
        );
        line.add(left(&pile.title, 28), theme.style(Role::Text));
        line.add(left(&pile.account, WHO / 2 + 3), theme.style(Role::Quiet));
        line.add(by(pile.by), theme.style(Role::Quiet));
        line.to(self.names());
        self.figures(line, pile.sum.items, &bytes(pile.sum.bytes));
    }

    fn folder(&self, line: &mut Pieces<'_>, at: usize) {
        let theme = self.theme;
        let Some(folder) = self.check.list.folders.get(at) else {
            return;
        };
        let is_open = self.check.open_folder == Some(at);
        let sign = if is_open {
            theme.glyphs.open
        } else {
            theme.glyphs.closed
        };
        line.add(format!("    {sign} "), theme.style(Role::Quiet));
        let path = folder.path.to_string();
        let path = if path.is_empty() { "(the root)" } else { &path };
        let room = self.names().saturating_sub(8);
        line.add(cut_front(path, room), theme.style(Role::Text));
        line.to(self.names());
        self.figures(line, folder.sum.items, &bytes(folder.sum.bytes));
    }

    fn item(&self, line: &mut Pieces<'_>, item: &ManifestItem) {
        let theme = self.theme;
        line.add("        ", theme.style(Role::Quiet));
        let name = match item.kind {
            EntryKind::ListEntry => item.shown(),
            _ => Printable(item.path.name()).to_string(),
        };
        let room = self.names().saturating_sub(10);
        line.add(cut(&name, room), theme.style(Role::Text));
        line.to(self.names());
        let size = match item.kind {
            EntryKind::Folder => "folder".to_owned(),
            EntryKind::File | EntryKind::Link => bytes(item.bytes),
            EntryKind::ListEntry => theme.size(item.bytes, true),
        };
        line.add(" ".repeat(SIZE), theme.style(Role::Quiet));
        line.add(right(&size, SIZE), theme.style(Role::Text));
    }
}

fn by(by: Removal) -> &'static str {
    match by {
        Removal::Remove => "for good",
        Removal::Overwrite => "written over",
        Removal::SetAside => "set aside",
        Removal::Clone => "cloned",
        Removal::HardLink => "linked",
        Removal::Pack | Removal::Unpack => "packed",
    }
}

/// The word that starts, with what has been typed of it: between brackets, for terminals without
/// colours.
fn word(theme: &Theme, check: &Check, width: usize) -> Line<'static> {
    let quiet = theme.style(Role::Quiet);
    let mut line = Pieces::default();
    line.add(" Type ", quiet);
    let rest = WORD.strip_prefix(check.typed.as_str()).unwrap_or(WORD);
    if check.typed.is_empty() {
        line.add(WORD, theme.bold(Role::Text));
    } else {
        line.add("[", quiet);
        line.add(check.typed.clone(), theme.bold(Role::Straw));
        line.add(theme.glyphs.dot.repeat(rest.len()), quiet);
        line.add("]", quiet);
    }
    let words = " to start. What goes for good can't be brought back.";
    line.add(cut(words, width.saturating_sub(line.width())), quiet);
    line.line()
}
