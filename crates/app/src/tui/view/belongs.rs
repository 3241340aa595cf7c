//! Saying to which program belongs what looks left behind.

use jolly_core::decide::Scope;
use jolly_core::format::Printable;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::draw::{Pieces, cut};
use crate::tui::model::BelongsDraft;
use crate::tui::theme::{Role, Theme};
use crate::tui::view::keyline::add_hints;
use crate::tui::view::overlay::{asking, raised};

pub(super) fn draw(draft: &BelongsDraft, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let quiet = theme.style(Role::Quiet);
    let name = Printable(draft.name.as_bytes()).to_string();
    let mut all = vec![
        Line::styled(
            cut(&format!("{name} wasn't left behind"), 70),
            theme.bold(Role::Straw),
        ),
        Line::default(),
        asking(theme, "it belongs to", &draft.program),
    ];
    for program in &draft.offered {
        let program = Printable(program.as_bytes()).to_string();
        all.push(Line::styled(
            format!("              {}", cut(&program, 56)),
            quiet,
        ));
    }
    if let Some(wrong) = &draft.wrong {
        all.push(Line::styled(wrong.clone(), theme.style(Role::Ask)));
    }
    let scope = match draft.scope {
        Scope::Everywhere => "on all computers",
        Scope::Computer | Scope::Run => "on this computer",
    };
    all.push(Line::styled(scope, theme.style(Role::Text)));
    all.push(Line::default());
    let mut keys = Pieces::default();
    let hints = [
        ("enter", "remember it"),
        ("tab", "the first of these"),
        ("↑ ↓", "this computer, or all"),
        ("esc", "leave it"),
    ];
    add_hints(theme, &mut keys, &hints);
    all.push(keys.line());
    raised(theme, frame, area, 80, all);
}
