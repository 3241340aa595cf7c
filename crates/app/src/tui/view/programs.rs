//! The programs lens: one row a program, with what it occupies, and its folders below it.

mod left_behind;

use jolly_core::decide::Extent;
use jolly_core::format::Printable;
use jolly_core::survey::{Footprint, Occupied, Program, Sites};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::areas::first_row;
use crate::tui::draw::{Pieces, cut, cut_front, left, right};
use crate::tui::model::{Context, Model, ProgramRow, ProgramsView, Weigh};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::{edge, keyline, lines, page, raise};
use crate::wording::{bytes, count, counted, processors_in_words, since};

/// Width of whether its caches and logs go.
const STATE: usize = 8;
/// Widths of the figures.
const SIZE: usize = 11;
const USED: usize = 16;
/// Width of where a program comes from.
const SOURCE: usize = 18;

/// Lines of the card.
const CARD: usize = 4;

pub(super) fn draw(
    model: &Model,
    view: &ProgramsView,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let [work, message, keys] = page(theme, frame, area);
    let Some(weigh) = &model.weigh else { return };
    let (width, height) = (usize::from(work.width), usize::from(work.height));
    let drawer = RowDrawer {
        theme,
        weigh,
        view,
        columns: ProgramColumns::fit(width),
    };
    let mut rows = if view.has_left {
        left_behind::heading(theme, view, &drawer.columns)
    } else {
        vec![title(theme, view), standing(theme, view), drawer.heading()]
    };
    let has_parts = |program: &Program| program.processors.is_some();
    let card = CARD + usize::from(view.focused().is_some_and(|(_, it)| has_parts(it)));
    let room = height.saturating_sub(card + rows.len() + 1);
    let first = first_row(view.focus, view.rows.len(), room);
    for (at, row) in view.rows.iter().enumerate().skip(first).take(room) {
        let is_focus = at == view.focus;
        let line = drawer.row(*row, is_focus);
        rows.push(if is_focus {
            raise(theme, line, work.width)
        } else {
            line
        });
    }
    if view.rows.is_empty() {
        let text = if view.known.is_none() {
            "   Looking for the programs of this computer, and measuring what is theirs …"
        } else if view.has_left {
            "   Nothing looks like it was left behind. What programs that are gone left shows here, with the evidence."
        } else {
            "   Nothing on this computer says which programs it has."
        };
        rows.push(Line::styled(text, theme.style(Role::Quiet)));
    }
    let used = rows.len();
    rows.extend((used..height.saturating_sub(card)).map(|_| Line::default()));
    if let Some((at, program)) = view.focused() {
        rows.extend(drawer.card(at, program, width));
    } else if let Some((_, one)) = view.focused_left() {
        rows.extend(left_behind::card(theme, (weigh, view), one, width));
    }
    lines(frame, work, rows);
    if let Some(text) = &model.message {
        let line = Line::styled(format!(" {}", cut(text, width)), theme.style(Role::Straw));
        lines(frame, message, vec![Line::default(), line]);
    }
    keyline::draw(model, Context::Programs, theme, frame, keys);
}

fn title(theme: &Theme, view: &ProgramsView) -> Line<'static> {
    let mut line = Pieces::default();
    line.add(
        " Programs: what each really occupies",
        theme.bold(Role::Straw),
    );
    if view.known.is_some() {
        let sums = format!(
            "   {}, {}, {}",
            counted(view.sums.shown, "program"),
            bytes(view.sums.bytes),
            view.order.words()
        );
        line.add(sums, theme.style(Role::Quiet));
    }
    line.line()
}

/// What is worth knowing of all of them.
fn standing(theme: &Theme, view: &ProgramsView) -> Line<'static> {
    let mut line = Pieces::default();
    line.to(1);
    let Some(known) = &view.known else {
        return line.line();
    };
    let unused = view.sums.unused;
    if unused > 0 {
        let words = format!("{} unused for a year   ", counted(unused, "program"));
        line.add(words, theme.style(Role::Ask));
    }
    let parts = view.sums.parts;
    if parts > 0 && !view.has_parts {
        let words = format!(
            "{} more came with the system or with others (A)",
            count(parts)
        );
        line.add(words, theme.style(Role::Quiet));
    }
    let unread = known.inventory.unread.len() as u64;
    if unread > 0 {
        let words = format!("   {} couldn't be read", counted(unread, "record"));
        line.add(words, theme.style(Role::Ask));
    }
    line.line()
}

/// Whether something goes, as a row says it.
fn extent_words(extent: Extent) -> &'static str {
    match extent {
        Extent::Nothing => "",
        Extent::Part => "part",
        Extent::All => "goes",
    }
}

/// What was added to a browser, in words.
fn extensions(program: &Program) -> String {
    if program.extensions.is_empty() {
        return String::new();
    }
    let many = counted(program.extensions.len() as u64, "extension");
    let names = program.extensions.join(", ");
    format!("   {many}: {}", Printable(names.as_bytes()))
}

/// How long something is ago.
fn ago(view: &ProgramsView, when: Option<i64>) -> String {
    let ago = when.map(|at| since(at, view.now.as_second()));
    ago.unwrap_or_else(|| "–".to_owned())
}

/// Which columns fit.
struct ProgramColumns {
    name: usize,
    has_source: bool,
    has_parts: bool,
}

impl ProgramColumns {
    fn fit(width: usize) -> Self {
        let fixed = 2 + STATE + SIZE + USED;
        let has_parts = width >= fixed + 4 * SIZE + 24;
        let parts = if has_parts { 4 * SIZE } else { 0 };
        let rest = width.saturating_sub(fixed + parts + 1);
        let has_source = rest >= SOURCE + 30;
        Self {
            name: rest - if has_source { SOURCE } else { 0 },
            has_source,
            has_parts,
        }
    }
}

struct RowDrawer<'a> {
    theme: &'a Theme,
    weigh: &'a Weigh,
    view: &'a ProgramsView,
    columns: ProgramColumns,
}

impl RowDrawer<'_> {
    fn heading(&self) -> Line<'static> {
        let quiet = self.theme.style(Role::Quiet);
        let mut line = Pieces::default();
        line.to(2);
        line.add(left("", STATE), quiet);
        line.add(left("program", self.columns.name), quiet);
        if self.columns.has_source {
            line.add(left("known from", SOURCE), quiet);
        }
        line.add(right("occupies", SIZE), quiet);
        if self.columns.has_parts {
            for heading in ["program", "data", "caches", "logs"] {
                line.add(right(heading, SIZE), quiet);
            }
        }
        line.add(right("last used", USED), quiet);
        line.line()
    }

    fn row(&self, row: ProgramRow, is_focus: bool) -> Line<'static> {
        let theme = self.theme;
        let mut line = Pieces::default();
        line.add(edge(theme, is_focus), theme.style(Role::Straw));
        line.to(2);
        let known = self.view.known.as_ref();
        let (ProgramRow::Program(at) | ProgramRow::Footprint(at, _)) = row else {
            if let Some(known) = known {
                left_behind::row(theme, (self.view, known), &self.columns, row, &mut line);
            }
            return line.line();
        };
        let Some(program) = known.and_then(|known| known.inventory.programs.get(at)) else {
            return line.line();
        };
        match row {
            ProgramRow::Program(_) => {
                let state = extent_words(self.view.going.of_row(row));
                line.add(left(state, STATE), theme.style(Role::Straw));
                let name = Printable(program.name.as_bytes()).to_string();
                let room = self.columns.name.saturating_sub(1);
                let name = cut(&name, room);
                let rest = room.saturating_sub(name.chars().count() + 2);
                let version = Printable(program.version.as_bytes()).to_string();
                let version = cut(&version, rest);
                let used = name.chars().count() + version.chars().count() + 2;
                line.add(name, theme.style(Role::Text));
                line.add(format!("  {version}"), theme.style(Role::Quiet));
                let gap = self.columns.name.saturating_sub(used);
                line.add(" ".repeat(gap), theme.style(Role::Quiet));
                if self.columns.has_source {
                    let source = program.source.short();
                    line.add(left(source, SOURCE), theme.style(Role::Quiet));
                }
                self.figures(&mut line, &program.bytes, Role::Text);
                let role = if self.view.is_unused(program) {
                    Role::Ask
                } else {
                    Role::Text
                };
                line.add(
                    right(&self.used(program.last_used), USED),
                    theme.style(role),
                );
            }
            ProgramRow::Footprint(_, held) => {
                if let Some(held) = program.footprint.get(held) {
                    self.footprint(&mut line, held);
                }
            }
            ProgramRow::Left(_) | ProgramRow::LeftFolder(..) => {}
        }
        line.line()
    }

    fn footprint(&self, line: &mut Pieces<'static>, held: &Footprint) {
        let quiet = self.theme.style(Role::Quiet);
        line.add(left("", STATE), quiet);
        let source = if self.columns.has_source { SOURCE } else { 0 };
        let width = self.columns.name + source;
        let path = cut_front(&held.path.to_string(), width.saturating_sub(3));
        line.add(left(&format!("  {path}"), width), quiet);
        self.figures(line, &held.bytes, Role::Quiet);
        line.add(right(&self.used(held.changed), USED), quiet);
    }

    fn figures(&self, line: &mut Pieces<'static>, held: &Occupied, role: Role) {
        let style = self.theme.style(role);
        let size = |held: u64| {
            if held == 0 {
                "–".to_owned()
            } else {
                bytes(held)
            }
        };
        line.add(right(&size(held.all()), SIZE), style);
        if self.columns.has_parts {
            for part in [held.program, held.data, held.cache, held.logs] {
                line.add(right(&size(part), SIZE), self.theme.style(Role::Quiet));
            }
        }
    }

    fn used(&self, when: Option<i64>) -> String {
        ago(self.view, when)
    }

    /// More about the program in focus, or about why a folder is its.
    fn card(&self, at: usize, program: &Program, width: usize) -> Vec<Line<'static>> {
        let theme = self.theme;
        let quiet = theme.style(Role::Quiet);
        let mut head = Pieces::default();
        let name = Printable(program.name.as_bytes()).to_string();
        head.add(format!(" {name}"), theme.bold(Role::Text));
        let mut facts = vec![
            program.source.words().to_owned(),
            program.reason.words().to_owned(),
        ];
        if let Some(installed) = program.installed {
            facts.push(format!(
                "installed or renewed {}",
                self.used(Some(installed))
            ));
        }
        facts.extend(program.maker.as_ref().map(|maker| format!("by {maker}")));
        let facts = format!("   {}   {}", program.id, facts.join(", "));
        let facts = Printable(facts.as_bytes()).to_string();
        head.add(cut(&facts, width.saturating_sub(name.len() + 2)), quiet);
        let focused = self.view.rows.get(self.view.focus);
        let held = match focused {
            Some(ProgramRow::Footprint(_, held)) => program.footprint.get(*held),
            _ => None,
        };
        let second = match held {
            Some(held) => {
                let target = &self.weigh.scan.target;
                let account = Sites::account_name(target, held.account);
                let account = account.map_or_else(String::new, |name| {
                    format!(" of {}", Printable(name.as_bytes()))
                });
                format!("   {}{account}   {}", held.path, held.evidence)
            }
            None if program.footprint.is_empty() => {
                "   no folder of its own was found; its size is what its record says".to_owned()
            }
            None => {
                let many = counted(program.footprint.len() as u64, "place");
                format!(
                    "   its own lies in {many}; enter shows them{}",
                    extensions(program)
                )
            }
        };
        let third = match self.view.renewable(at) {
            Some(found) => format!(
                "   {} of caches and logs: space takes what is old enough, or leaves it",
                bytes(found.found.bytes)
            ),
            None => "   no caches and no logs of it were found that may go".to_owned(),
        };
        let mut all = vec![
            Line::styled(theme.glyphs.rule.repeat(width), theme.style(Role::Faint)),
            head.line(),
            Line::styled(cut(&second, width), quiet),
            Line::styled(cut(&third, width), quiet),
        ];
        if let Some(processors) = &program.processors {
            let parts = format!("   {}", processors_in_words(processors));
            all.push(Line::styled(cut(&parts, width), quiet));
        }
        all
    }
}
