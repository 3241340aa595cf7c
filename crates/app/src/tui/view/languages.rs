//! The languages of a pile of translations: what each holds, and what of it goes.

use jolly_core::decide::{LanguageShare, PileState};
use jolly_core::pile::Sum;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::language_names::language_name;
use crate::tui::areas::first_row;
use crate::tui::draw::{Pieces, cut, left, right};
use crate::tui::model::{LanguagesView, Model};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::keyline::add_hints;
use crate::tui::view::{edge, lines, page, raise};
use crate::wording::{bytes, count};

/// Columns of a name, a code, a number of files, a size.
const NAME: usize = 24;
const CODE: usize = 6;
const FILES: usize = 10;
const SIZE: usize = 12;

pub(super) fn draw(
    model: &Model,
    view: &LanguagesView,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let [work, message, keys] = page(theme, frame, area);
    let quiet = theme.style(Role::Quiet);
    let mut heading = Pieces::default();
    heading.add(
        left(" Languages nobody set", NAME + CODE + 4),
        theme.bold(Role::Straw),
    );
    heading.add(right("files", FILES), quiet);
    heading.add(right("found", SIZE), quiet);
    heading.add(right("takes", SIZE), quiet);
    let mut all = vec![heading.line(), Line::default()];
    let room = usize::from(work.height).saturating_sub(all.len() + 2);
    let first = first_row(view.focus, view.rows.len(), room);
    for (at, (share, goes)) in view.rows.iter().enumerate().skip(first).take(room) {
        let line = row(theme, (share, *goes), at == view.focus);
        all.push(if at == view.focus {
            raise(theme, line, work.width)
        } else {
            line
        });
    }
    lines(frame, work, all);
    let said = model.message.clone().unwrap_or_else(|| {
        "Languages that the computer's settings name, and English, aren't here: they stay."
            .to_owned()
    });
    let said = cut(&said, usize::from(work.width).saturating_sub(2));
    let said = Line::styled(format!(" {said}"), theme.style(Role::Straw));
    lines(frame, message, vec![Line::default(), said]);
    let mut line = Pieces::default();
    line.add(" ", quiet);
    let hints = [
        ("space", "take or leave"),
        ("u", "undo"),
        ("↑ ↓", "move"),
        ("esc", "back"),
    ];
    add_hints(theme, &mut line, &hints);
    lines(frame, keys, vec![line.line()]);
}

fn row(theme: &Theme, (share, goes): (&LanguageShare, Sum), is_focus: bool) -> Line<'static> {
    let state = match goes.items {
        0 => PileState::Left,
        some if some < share.found.items => PileState::Part,
        _ => PileState::Taken,
    };
    let (text, quiet) = (theme.style(Role::Text), theme.style(Role::Quiet));
    let mut line = Pieces::default();
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    line.add(
        format!("{} ", theme.state_glyph(state)),
        theme.style(Role::Straw),
    );
    let name = language_name(&share.code).unwrap_or("another one");
    line.add(left(name, NAME), text);
    line.add(left(&share.code, CODE + 1), quiet);
    line.add(right(&count(share.found.items), FILES), quiet);
    line.add(right(&bytes(share.found.bytes), SIZE), text);
    let takes = if goes.items > 0 {
        bytes(goes.bytes)
    } else {
        theme.glyphs.none.to_owned()
    };
    line.add(right(&takes, SIZE), theme.style(Role::Straw));
    line.line()
}
