//! A folder that is to be a pile of its own, while it is being said.

use jolly_core::format::Printable;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::draw::{Pieces, cut, left};
use crate::tui::model::{PlaceDraft, PlaceLine};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::edge;
use crate::tui::view::keyline::add_hints;
use crate::tui::view::overlay::{asking, raised};

/// Columns of the words before each line.
const WORDS: usize = 14;

/// How many folders a completion shows.
const OFFERED: usize = 4;

pub(super) fn draw(draft: &PlaceDraft, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let quiet = theme.style(Role::Quiet);
    let mut all = vec![
        Line::styled(
            "Add a folder of this computer as a pile of its own",
            theme.bold(Role::Straw),
        ),
        Line::default(),
    ];
    for known in PlaceLine::ALL {
        all.push(line(theme, draft, known));
        if known == PlaceLine::Folder && draft.line == known {
            for folder in draft.offered.iter().take(OFFERED) {
                let name = Printable(folder.as_bytes()).to_string();
                let text = format!("{}{}", " ".repeat(WORDS + 2), cut(&name, 64));
                all.push(Line::styled(text, quiet));
            }
        }
    }
    all.push(Line::default());
    let (says, role) = match (&draft.wrong, draft.is_said) {
        (Some(wrong), _) => (wrong.clone(), Role::Ask),
        (None, true) => ("it is being written down".to_owned(), Role::Quiet),
        (None, false) => (
            "It becomes a rule of this computer's own rulebook, and the computer is scanned again; b lists it then, and turns it off."
                .to_owned(),
            Role::Quiet,
        ),
    };
    for text in crate::tui::draw::wrap(&says, 86) {
        all.push(Line::styled(format!("  {text}"), theme.style(role)));
    }
    all.push(Line::default());
    let mut keys = Pieces::default();
    let tab = match draft.line {
        PlaceLine::Folder => ("tab", "complete"),
        PlaceLine::Class => ("space", "another class"),
        PlaceLine::Title | PlaceLine::Age => ("tab", "next line"),
    };
    let hints = [
        ("enter", "add it"),
        ("↑ ↓", "lines"),
        tab,
        ("esc", "leave it"),
    ];
    add_hints(theme, &mut keys, &hints);
    all.push(keys.line());
    raised(theme, frame, area, 96, all);
}

fn line(theme: &Theme, draft: &PlaceDraft, known: PlaceLine) -> Line<'static> {
    let is_focus = draft.line == known;
    let mut line = Pieces::default();
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    line.add(
        left(&format!(" {}", known.word()), WORDS),
        theme.style(Role::Quiet),
    );
    let (input, empty) = match known {
        PlaceLine::Folder => (
            &draft.folder,
            "below the computer's root, such as home/pia/exports",
        ),
        PlaceLine::Title => (&draft.title, "the folder's name"),
        PlaceLine::Age => (&draft.age, "any age; such as 6 months"),
        PlaceLine::Class => {
            let class = draft.class;
            let style = theme.style(Theme::class_role(class));
            line.add(
                format!(" {} {}", theme.class_glyph(class), class.name()),
                style,
            );
            line.add(format!("  {}", class.meaning()), theme.style(Role::Quiet));
            return line.line();
        }
    };
    if is_focus {
        let mut line = line.line();
        line.spans.extend(asking(theme, "", input).spans);
        return line;
    }
    let (text, role) = if input.value().is_empty() {
        (empty, Role::Faint)
    } else {
        (input.value(), Role::Text)
    };
    line.add(format!(" {text}"), theme.style(role));
    line.line()
}
