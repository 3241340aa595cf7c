//! Taking or leaving translations, language by language.

use std::sync::Arc;

use jolly_core::decide::Choice;
use jolly_core::rule::Detect;
use ratatui::crossterm::event::{KeyCode, KeyEvent};

use crate::language_names::language_name;
use crate::tui::keys::Action;
use crate::tui::model::{LanguagesView, Model, Overlay};
use crate::tui::msg::Effect;
use crate::tui::update::change::{back_or_again, change};

/// Shows the languages of the pile that is looked into.
pub(super) fn open(model: &mut Model) -> Vec<Effect> {
    let view = model.weigh.as_ref().and_then(|weigh| {
        let view = weigh.inside.as_ref()?;
        let pile = weigh.scan.pile(view.pile);
        let detect = weigh.scan.rules.rule(pile.rule).rule.detect;
        let inside = &view.opened.as_ref()?.inside;
        (detect == Some(Detect::LanguageNotUsed)).then(|| LanguagesView::new(weigh, inside))
    });
    if let Some(view) = view {
        model.overlay = Some(Overlay::Languages(Box::new(view)));
    } else {
        let words = "This pile isn't made of translations: there are no languages to choose.";
        model.message = Some(words.to_owned());
    }
    Vec::new()
}

pub(super) fn press(model: &mut Model, mut view: Box<LanguagesView>, key: KeyEvent) -> Vec<Effect> {
    let last = view.rows.len().saturating_sub(1);
    let mut effects = Vec::new();
    match key.code {
        KeyCode::Esc => return effects,
        KeyCode::Up | KeyCode::Char('k') => view.focus = view.focus.saturating_sub(1),
        KeyCode::Down | KeyCode::Char('j') => view.focus = (view.focus + 1).min(last),
        KeyCode::PageUp => view.focus = view.focus.saturating_sub(PAGE),
        KeyCode::PageDown => view.focus = (view.focus + PAGE).min(last),
        KeyCode::Home => view.focus = 0,
        KeyCode::End => view.focus = last,
        KeyCode::Char(' ') => effects = turn(model, &view),
        KeyCode::Char('u') => effects = back_or_again(model, Action::Undo),
        _ => {}
    }
    if let Some(weigh) = &model.weigh {
        view.sum_up(weigh);
    }
    model.overlay = Some(Overlay::Languages(view));
    effects
}

/// Rows that a page goes.
const PAGE: usize = 10;

/// Takes the language in focus, or leaves it.
fn turn(model: &mut Model, view: &LanguagesView) -> Vec<Effect> {
    let Some((code, nodes, goes)) = model.weigh.as_ref().and_then(|weigh| view.focused(weigh))
    else {
        return Vec::new();
    };
    let name = language_name(&code).unwrap_or(&code).to_owned();
    let (choice, word) = if goes {
        (Choice::Leave, "left")
    } else {
        (Choice::Take, "taken")
    };
    let what = format!("{name} {word}");
    let (_, effects) = change(model, |weigh| {
        let scan = Arc::clone(&weigh.scan);
        weigh.decisions.choose_all(&scan, &what, &nodes, choice)
    });
    model.message = Some(format!("{what}."));
    effects
}
