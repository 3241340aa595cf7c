//! Writing over what is free, or a whole disk: the choices, the word, how far it is, what came of it.

use jolly_core::wiping::WipeProgress;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use tui_input::Input;

use crate::tui::draw::{Pieces, cut, left, right, wrap};
use crate::tui::model::{WipeChoice, WipeStage, WipeView};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::edge;
use crate::tui::view::keyline::add_hints;
use crate::tui::view::overlay::{asking, raised};
use crate::wiping::{WipeSubject, Wiped, outcome_in_words, progress_in_words};

/// Columns of the patch, and of the text in it.
const WIDE: u16 = 104;
const TEXT: usize = 96;

/// Columns of a size.
const SIZE: usize = 12;

pub(super) fn draw(view: &WipeView, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let width = usize::from(area.width.saturating_sub(6)).min(TEXT);
    let mut all = vec![
        Line::styled(
            "Write over what is free, or a whole disk",
            theme.bold(Role::Straw),
        ),
        Line::default(),
    ];
    let hints = stage(view, theme, &mut all, width);
    all.push(Line::default());
    let mut keys = Pieces::default();
    add_hints(theme, &mut keys, hints);
    all.push(keys.line());
    raised(theme, frame, area, WIDE, all);
}

/// What is said of how far it is, and the keys that count then.
fn stage(
    view: &WipeView,
    theme: &Theme,
    all: &mut Vec<Line<'static>>,
    width: usize,
) -> &'static [(&'static str, &'static str)] {
    match &view.stage {
        WipeStage::Looking => {
            all.push(Line::styled(
                "It is being looked at…",
                theme.style(Role::Quiet),
            ));
            &[("esc", "leave it")]
        }
        WipeStage::Choosing(choices, input, wrong) => {
            choosing(theme, all, (choices, view.focus), width);
            word(
                theme,
                all,
                (choices.get(view.focus), input, wrong.as_deref()),
                width,
            );
            let can = choices.get(view.focus).is_some_and(|it| it.can.is_some());
            if !can {
                return &[("↑ ↓", "choose"), ("esc", "leave it")];
            }
            &[
                ("enter", "start it"),
                ("↑ ↓", "choose"),
                ("esc", "leave it"),
            ]
        }
        WipeStage::UnderWay {
            subject,
            progress,
            is_held,
            is_stopping,
        } => {
            told(theme, all, subject, Role::Text, width);
            all.push(Line::default());
            under_way(theme, all, progress.as_ref(), width);
            match (is_stopping, is_held) {
                (true, _) => &[("", "It is being stopped.")],
                (false, true) => &[("p", "go on"), ("esc", "stop it")],
                (false, false) => &[("p", "pause"), ("esc", "stop it")],
            }
        }
        WipeStage::Done(wiped) => {
            ended(theme, all, wiped, width);
            &[("e", "the certificate"), ("esc", "back")]
        }
        WipeStage::Failed(why) => {
            told(
                theme,
                all,
                &format!("Nothing was written: {why}."),
                Role::Ask,
                width,
            );
            &[("esc", "back")]
        }
    }
}

fn ended(theme: &Theme, all: &mut Vec<Line<'static>>, wiped: &Wiped, width: usize) {
    let first = if wiped.end.is_proven() {
        Role::Straw
    } else {
        Role::Ask
    };
    let roles = std::iter::once(first).chain(std::iter::repeat(Role::Text));
    for (line, role) in outcome_in_words(&wiped.end).iter().zip(roles) {
        told(theme, all, line, role, width);
    }
    let record = format!("On record as {}.", wiped.run);
    told(theme, all, &record, Role::Quiet, width);
}

fn told(theme: &Theme, all: &mut Vec<Line<'static>>, says: &str, role: Role, width: usize) {
    let lines = wrap(says, width).into_iter();
    all.extend(lines.map(|line| Line::styled(line, theme.style(role))));
}

/// A row a choice, and what is to be known of the one in focus.
fn choosing(
    theme: &Theme,
    all: &mut Vec<Line<'static>>,
    (choices, focus): (&[WipeChoice], usize),
    width: usize,
) {
    for (at, choice) in choices.iter().enumerate() {
        let mut line = Pieces::default();
        line.add(edge(theme, at == focus), theme.style(Role::Straw));
        let role = if choice.can.is_some() {
            Role::Text
        } else {
            Role::Quiet
        };
        let room = width.saturating_sub(SIZE + 2);
        line.add(left(&choice.says, room), theme.style(role));
        line.add(right(&choice.size, SIZE), theme.style(Role::Quiet));
        all.push(line.line());
    }
    all.push(Line::default());
    let Some(choice) = choices.get(focus) else {
        return;
    };
    if let Some((subject, _)) = &choice.can {
        let says = match subject {
            WipeSubject::Free(_) => {
                "Its files stay. What is free is filled with random bytes, read back, and given back."
            }
            WipeSubject::Disk(..) => {
                "Everything on it is gone for good: random bytes are written over all of it, and read back."
            }
        };
        told(theme, all, says, Role::Text, width);
    }
    for note in &choice.notes {
        let mark = theme.glyphs.dot;
        told(theme, all, &format!("{mark} {note}"), Role::Quiet, width);
    }
}

fn word(
    theme: &Theme,
    all: &mut Vec<Line<'static>>,
    (choice, input, wrong): (Option<&WipeChoice>, &Input, Option<&str>),
    width: usize,
) {
    if let Some((_, word)) = choice.and_then(|choice| choice.can.as_ref()) {
        all.push(Line::default());
        all.push(asking(theme, &format!("type {word} to start it"), input));
    }
    if let Some(wrong) = wrong {
        all.push(Line::styled(cut(wrong, width), theme.style(Role::Ask)));
    }
}

/// A bar of what is done, and the figures.
fn under_way(
    theme: &Theme,
    all: &mut Vec<Line<'static>>,
    progress: Option<&WipeProgress>,
    width: usize,
) {
    let Some(progress) = progress else {
        told(theme, all, "It begins…", Role::Quiet, width);
        return;
    };
    let (done, of) = progress.gone_over();
    let done = u128::from(done) * width as u128;
    let done = done.checked_div(of.into()).unwrap_or(0);
    let done = usize::try_from(done).unwrap_or(width).min(width);
    let mut bar = Pieces::default();
    let glyphs = &theme.glyphs;
    bar.add(glyphs.swept.repeat(done), theme.style(Role::Straw));
    bar.add(glyphs.free.repeat(width - done), theme.style(Role::Faint));
    all.push(bar.line());
    told(theme, all, &progress_in_words(progress), Role::Text, width);
}
