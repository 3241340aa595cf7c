//! What programs that are gone left: one row a program, its folders below it, and the evidence on the card.

use jolly_core::decide::{Extent, Portion};
use jolly_core::format::Printable;
use jolly_core::rule::{BAND_COUNT, BAND_NAMES, Class};
use jolly_core::survey::{Grade, Leftover, Sites};
use ratatui::text::Line;

use crate::tui::columns::ALL_BANDS;
use crate::tui::draw::{Pieces, cut, cut_front, left, right};
use crate::tui::model::{KnownPrograms, ProgramRow, ProgramsView, Weigh};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::programs::{ProgramColumns, SIZE, STATE, USED, ago, extent_words};
use crate::tui::view::weigh::bars::Bars;
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
    let words = format!(" {sure} sure, {likely} likely, {unsure} unsure   ");
    standing.add(words, quiet);
    let taken = view.taken;
    if taken.items > 0 {
        let words = format!("{} of it goes, set aside", bytes(taken.bytes));
        standing.add(words, theme.style(Role::Straw));
    } else {
        standing.add("nothing of it is taken; L goes back to programs", quiet);
    }
    let mut line = Pieces::default();
    line.to(2);
    line.add(left("", STATE), quiet);
    line.add(left("", GRADE), quiet);
    line.add(left("name", wide(columns)), quiet);
    if columns.has_parts {
        let [first, last] = [0, BAND_COUNT - 1].map(|band| BAND_NAMES[band]);
        let ages = format!(" {first:<width$}{last}", width = BARS - 3);
        line.add(left(&ages, BARS + 1), quiet);
    }
    line.add(right("occupies", SIZE), quiet);
    line.add(right("changed last", USED), quiet);
    vec![title.line(), standing.line(), line.line()]
}

/// Width of how sure it is.
const GRADE: usize = 8;
/// Width of the age bars, each with a gap.
const BARS: usize = 2 * BAND_COUNT;

/// Columns of a name, with the room of the figures that programs have and these don't.
fn wide(columns: &ProgramColumns) -> usize {
    let source = if columns.has_source { super::SOURCE } else { 0 };
    let parts = if columns.has_parts {
        4 * SIZE - (BARS + 1)
    } else {
        0
    };
    columns.name + source + parts - GRADE
}

/// How old what was left is, as bars.
fn ages(
    theme: &Theme,
    (line, columns): (&mut Pieces<'static>, &ProgramColumns),
    portions: &[Portion],
    extent: Extent,
) {
    if !columns.has_parts {
        return;
    }
    let sum = |band: usize| {
        let held = portions.iter().filter_map(|one| one.bands.get(band));
        held.fold(0, |sum: u64, held| sum.saturating_add(*held))
    };
    let bands: [u64; BAND_COUNT] = std::array::from_fn(sum);
    let bars = Bars {
        goes: extent != Extent::Nothing,
        limit: None,
        class: Class::Ask,
        bands: &ALL_BANDS,
        cells: 1,
    };
    bars.draw(theme, line, &bands);
    line.add(" ", theme.style(Role::Quiet));
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
            let extent = view.going.of_row(row);
            line.add(left(extent_words(extent), STATE), theme.style(Role::Straw));
            line.add(left(grade, GRADE), theme.style(role));
            let name = Printable(one.name.as_bytes()).to_string();
            let more = format!("   {}", counted(one.folders.len() as u64, "place"));
            let name = cut(&name, width.saturating_sub(more.len() + 1));
            let used = name.chars().count();
            line.add(name, theme.style(Role::Text));
            line.add(left(&more, width.saturating_sub(used)), quiet);
            let portions = known.portions.get(at).map_or(&[][..], Vec::as_slice);
            ages(theme, (line, columns), portions, extent);
            line.add(right(&bytes(one.bytes()), SIZE), theme.style(Role::Text));
            let changed = one.folders.iter().filter_map(|folder| folder.changed).max();
            line.add(right(&ago(view, changed), USED), theme.style(Role::Text));
        }
        ProgramRow::LeftFolder(at, number) => {
            let one = known.left.get(at);
            let Some(folder) = one.and_then(|one| one.folders.get(number)) else {
                return;
            };
            let extent = view.going.of_row(row);
            line.add(left(extent_words(extent), STATE), theme.style(Role::Straw));
            line.add(left("", GRADE), quiet);
            let path = cut_front(&folder.path.to_string(), width.saturating_sub(3));
            line.add(left(&format!("  {path}"), width), quiet);
            let portions = known.portions.get(at).map_or(&[][..], Vec::as_slice);
            let portions = portions.get(number..=number).unwrap_or_default();
            ages(theme, (line, columns), portions, extent);
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
