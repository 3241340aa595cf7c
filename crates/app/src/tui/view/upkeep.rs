//! The chores that can follow the sweep: what each does, what it gives back, when it was done last.

use jolly_core::chores::Chore;
use jolly_core::decide::PileState;
use jolly_core::format::Printable;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::draw::{Pieces, cut, left, right, wrap};
use crate::tui::model::{Model, UpkeepView};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::edge;
use crate::tui::view::keyline::add_hints;
use crate::tui::view::overlay::raised;
use crate::upkeep::{last_in_words, prospect};
use crate::wording::bytes;

/// Columns of the patch, of the text in it, of a name, a size and an age.
const WIDE: u16 = 104;
const TEXT: usize = 96;
const NAME: usize = 28;
const SIZE: usize = 11;
const LAST: usize = 22;

pub(super) fn draw(
    model: &Model,
    view: &UpkeepView,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let width = usize::from(area.width.saturating_sub(6)).min(TEXT);
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let title = "Chores that follow the sweep";
    let mut heading = Pieces::default();
    heading.add(
        left(title, width.saturating_sub(SIZE + LAST)),
        theme.bold(Role::Straw),
    );
    heading.add(right("gives back", SIZE), quiet);
    heading.add(right("done last", LAST), quiet);
    let mut all = vec![heading.line(), Line::default()];
    for (at, chore) in model.upkeep.known.iter().enumerate() {
        let is_chosen = model.upkeep.chosen.contains(&chore.id);
        all.push(row(theme, chore, (at == view.focus, is_chosen), width));
    }
    all.push(Line::default());
    if let Some(chore) = model.upkeep.known.get(view.focus) {
        let says = [(chore.id.does().to_owned(), text), (prospect(chore), quiet)];
        for (says, style) in says {
            let says = Printable(says.as_bytes()).to_string();
            all.extend(
                wrap(&says, width)
                    .into_iter()
                    .map(|line| Line::styled(line, style)),
            );
        }
    }
    if let Some(message) = &model.message {
        all.push(Line::styled(cut(message, width), theme.style(Role::Straw)));
    }
    all.push(Line::default());
    let mut keys = Pieces::default();
    let hints = [("space", "take or leave"), ("↑ ↓", "move"), ("esc", "back")];
    add_hints(theme, &mut keys, &hints);
    all.push(keys.line());
    raised(theme, frame, area, WIDE, all);
}

fn row(
    theme: &Theme,
    chore: &Chore,
    (is_focus, is_chosen): (bool, bool),
    width: usize,
) -> Line<'static> {
    let (state, role) = match (&chore.can, is_chosen) {
        (Err(_), _) => (PileState::Blocked, Role::Quiet),
        (Ok(_), true) => (PileState::Taken, Role::Text),
        (Ok(_), false) => (PileState::Left, Role::Text),
    };
    let mut line = Pieces::default();
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    line.add(
        format!("{} ", theme.state_glyph(state)),
        theme.style(Role::Straw),
    );
    line.add(left(chore.id.title(), NAME), theme.style(role));
    let why = chore.can.as_ref().err();
    let why = why.map_or_else(String::new, |why| Printable(why.as_bytes()).to_string());
    // What can't be done gives nothing back, and its reason has that place, too.
    let room = width.saturating_sub(NAME + LAST + 3);
    let gives = chore.gives.map_or_else(String::new, bytes);
    if why.is_empty() {
        line.add(right(&gives, room), theme.style(role));
    } else {
        line.add(left(&why, room), theme.style(Role::Quiet));
    }
    line.add(right(&last_in_words(chore), LAST), theme.style(Role::Quiet));
    line.line()
}
