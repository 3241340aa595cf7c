//! What programs that are gone left: one row a program, its folders below it, and the evidence on the card.

use jolly_core::format::Printable;
use jolly_core::survey::{Grade, Leftover, Sites};
use ratatui::text::Line;

use crate::tui::draw::{Pieces, cut, cut_front, left, right};
use crate::tui::model::{KnownPrograms, ProgramRow, ProgramsView, Weigh};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::programs::{ProgramColumns, SIZE, STATE, USED, ago};
use crate::wording::{bytes, counted};

/// The lines above the rows.
pub(super) fn heading(
    theme: &Theme,
    view: &ProgramsView,
    columns: &ProgramColumns,
) -> Vec<Line<'static>> {
    let quiet = theme.style(Role::Quiet);
    let mut title = Pieces::default();
    title.add(
        " Left behind: what programs that are gone left",
        theme.bold(Role::Straw),
    );
    title.add(
        format!(
            "   {}, {}",
            counted(view.sums.shown, "name"),
            bytes(view.sums.bytes)
        ),
        quiet,
    );
    let mut standing = Pieces::default();
    let [sure, likely, unsure] = view.sums.graded;
    let words = format!(
        " {sure} sure, {likely} likely, {unsure} unsure; only shown, nothing is taken (L: programs)"
    );
    standing.add(words, quiet);
    let mut line = Pieces::default();
    line.to(2);
    line.add(left("", STATE), quiet);
    line.add(left("name", wide(columns)), quiet);
    line.add(right("occupies", SIZE), quiet);
    line.add(right("changed last", USED), quiet);
    vec![title.line(), standing.line(), line.line()]
}

/// Columns of a name, with the room of the figures that programs have and these don't.
fn wide(columns: &ProgramColumns) -> usize {
    let source = if columns.has_source { super::SOURCE } else { 0 };
    let parts = if columns.has_parts { 4 * SIZE } else { 0 };
    columns.name + source + parts
}

/// Draws a row.
pub(super) fn row(
    theme: &Theme,
    (view, known): (&ProgramsView, &KnownPrograms),
    columns: &ProgramColumns,
    row: ProgramRow,
    line: &mut Pieces<'static>,
) {
    let width = wide(columns);
    let quiet = theme.style(Role::Quiet);
    match row {
        ProgramRow::Left(at) => {
            let Some(one) = known.left.get(at) else {
                return;
            };
            let (grade, role) = match one.grade {
                Grade::Sure => ("sure", Role::Straw),
                Grade::Likely => ("likely", Role::Text),
                Grade::Unsure => ("unsure", Role::Quiet),
            };
            line.add(left(grade, STATE), theme.style(role));
            let name = Printable(one.name.as_bytes()).to_string();
            let more = format!("   {}", counted(one.folders.len() as u64, "place"));
            let name = cut(&name, width.saturating_sub(more.len() + 1));
            let used = name.chars().count();
            line.add(name, theme.style(Role::Text));
            line.add(left(&more, width.saturating_sub(used)), quiet);
            line.add(right(&bytes(one.bytes()), SIZE), theme.style(Role::Text));
            let changed = one.folders.iter().filter_map(|folder| folder.changed).max();
            line.add(right(&ago(view, changed), USED), theme.style(Role::Text));
        }
        ProgramRow::LeftFolder(at, folder) => {
            let one = known.left.get(at);
            let Some(folder) = one.and_then(|one| one.folders.get(folder)) else {
                return;
            };
            line.add(left("", STATE), quiet);
            let path = cut_front(&folder.path.to_string(), width.saturating_sub(3));
            line.add(left(&format!("  {path}"), width), quiet);
            line.add(right(&bytes(folder.bytes), SIZE), quiet);
            line.add(right(&ago(view, folder.changed), USED), quiet);
        }
        ProgramRow::Program(_) | ProgramRow::Footprint(..) => {}
    }
}

/// The evidence of what is in focus: of a name that of its first folder that has any.
pub(super) fn card(
    theme: &Theme,
    (weigh, view): (&Weigh, &ProgramsView),
    one: &Leftover,
    width: usize,
) -> Vec<Line<'static>> {
    let quiet = theme.style(Role::Quiet);
    let focused = match view.rows.get(view.focus) {
        Some(ProgramRow::LeftFolder(_, folder)) => one.folders.get(*folder),
        _ => None,
    };
    let mut head = Pieces::default();
    let name = Printable(one.name.as_bytes()).to_string();
    head.add(format!(" {name}"), theme.bold(Role::Text));
    if let Some(folder) = focused {
        let account = Sites::account_name(&weigh.scan.target, folder.account);
        let account = account.map_or_else(String::new, |name| {
            format!(" of {}", Printable(name.as_bytes()))
        });
        let path = format!("   {}{account}", folder.path);
        head.add(cut(&path, width.saturating_sub(name.len() + 2)), quiet);
    }
    let of_all = |side: fn(&jolly_core::survey::LeftoverFolder) -> &Vec<String>| {
        let all = one
            .folders
            .iter()
            .filter(|folder| focused.is_none_or(|only| only == *folder));
        let mut said: Vec<&str> = Vec::new();
        for words in all.flat_map(side) {
            if !said.contains(&words.as_str()) {
                said.push(words);
            }
        }
        let said = if said.is_empty() {
            "nothing".to_owned()
        } else {
            said.join(", ")
        };
        Printable(said.as_bytes()).to_string()
    };
    let speaks_for = format!("   for      {}", of_all(|folder| &folder.speaks_for));
    let against = format!("   against  {}", of_all(|folder| &folder.against));
    vec![
        Line::styled(theme.glyphs.rule.repeat(width), theme.style(Role::Faint)),
        head.line(),
        Line::styled(cut(&speaks_for, width), quiet),
        Line::styled(cut(&against, width), quiet),
    ]
}
