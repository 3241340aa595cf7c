//! Saying what is excluded.

use std::sync::Arc;

use jolly_core::decide::{Excluded, Exclusion, Reach, Scope, Spares};
use jolly_core::pile::Scan;
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler as _;

use crate::tui::model::{Counted, Draft, Field, InsideRow, Model, Offer, Overlay, Weigh};
use crate::tui::msg::{Effect, Question};
use crate::tui::update::change::{change, show_exclusions};

/// Begins an exclusion of what is in focus.
pub(super) fn begin(model: &mut Model) -> Vec<Effect> {
    let Some(weigh) = &model.weigh else {
        return Vec::new();
    };
    let mut offers = Vec::new();
    let pattern = match &weigh.inside {
        Some(view) => match view.focused() {
            Some(row) => offer_inside(weigh, row, &mut offers),
            None => return Vec::new(),
        },
        None => String::new(),
    };
    offers.push(Offer::Pattern(Input::new(pattern)));
    let pile = weigh.inside.as_ref().map(|view| view.pile);
    if let Some(pile) = pile.or_else(|| weigh.focused_pile()) {
        let found = weigh.scan.pile(pile);
        let rule = Spares {
            rule: Some(weigh.scan.rules.rule(found.rule).id.to_string()),
            ..Spares::default()
        };
        let account = weigh.scan.account_name(found).map(str::to_owned);
        let own = Spares {
            account: account.clone(),
            ..rule.clone()
        };
        let mut of_pile = vec![Offer::Ready("this pile", own)];
        if account.is_some() {
            of_pile.push(Offer::Ready("this rule", rule));
        }
        // From outside the pile itself is meant first.
        let at = if weigh.inside.is_some() {
            offers.len()
        } else {
            0
        };
        offers.splice(at..at, of_pile);
    }
    offers.push(Offer::Larger(Input::default()));
    offers.push(Offer::Younger(Input::default()));
    count(model, Draft::new(offers))
}

/// Begins an exclusion of one thing.
pub(super) fn begin_with(model: &mut Model, word: &'static str, spares: Spares) -> Vec<Effect> {
    count(model, Draft::new(vec![Offer::Ready(word, spares)]))
}

/// Offers what lies in focus inside a pile; gives the pattern that comes to mind.
fn offer_inside(weigh: &Weigh, row: InsideRow, offers: &mut Vec<Offer>) -> String {
    let Some(opened) = weigh.inside.as_ref().and_then(|view| view.opened.as_ref()) else {
        return String::new();
    };
    let (scan, inside) = (&weigh.scan, &opened.inside);
    match row {
        InsideRow::Entry(id) => {
            let path = inside.node(scan, id).map(|node| node.path(scan));
            let Some(path) = path else {
                return String::new();
            };
            if inside.is_folder(id) {
                offers.push(Offer::Ready("this folder", Spares::path(path.clone())));
                return pattern_for(path.name(), true);
            }
            let is_entry = inside
                .parent(id)
                .is_some_and(|above| inside.is_list(scan, above));
            let [this, its] = if is_entry {
                ["this entry", "its list"]
            } else {
                ["this file", "its folder"]
            };
            offers.push(Offer::Ready(this, Spares::path(path.clone())));
            let folder = path.parent().filter(|folder| !folder.is_root());
            offers.extend(folder.map(|path| Offer::Ready(its, Spares::path(path))));
            pattern_for(path.name(), false)
        }
        InsideRow::Other(folder, at) => {
            let name = weigh
                .inside
                .as_ref()
                .and_then(|view| view.others(folder)?.all.get(at));
            let program = inside.node(scan, folder).map(|node| node.path(scan));
            let path = program
                .zip(name)
                .and_then(|(path, other)| path.join(&other.name).ok());
            offers.extend(path.map(|path| Offer::Ready("this", Spares::path(path))));
            String::new()
        }
        InsideRow::More(_) => String::new(),
    }
}

/// The pattern that comes to mind beside a name: of files the ending, of folders the name.
fn pattern_for(name: &[u8], is_folder: bool) -> String {
    let Ok(name) = std::str::from_utf8(name) else {
        return String::new();
    };
    let literal = |text: &str| -> String {
        let is_open = |letter: char| "*?[]{}!\\".contains(letter);
        let pieces = text.chars().map(|letter| match letter {
            letter if is_open(letter) && letter != '\\' => format!("[{letter}]"),
            '\\' => "?".to_owned(),
            letter => letter.to_string(),
        });
        pieces.collect()
    };
    match name.rsplit_once('.') {
        Some((start, ending)) if !is_folder && !start.is_empty() && !ending.is_empty() => {
            format!("*.{}", literal(ending))
        }
        _ => literal(name),
    }
}

/// Begins to change an exclusion.
pub(super) fn begin_change(model: &mut Model, at: usize) -> Vec<Effect> {
    let all = model
        .weigh
        .as_ref()
        .map(|weigh| weigh.decisions.exclusions());
    let Some(one) = all.and_then(|all| all.get(at)) else {
        return Vec::new();
    };
    let mut draft = Draft::of(&one.exclusion, at);
    if draft.offer().is_some_and(|offer| offer.input().is_none()) {
        draft.field = Field::Why;
    }
    count(model, draft)
}

/// Asks what a draft would spare, and shows it.
fn count(model: &mut Model, mut draft: Draft) -> Vec<Effect> {
    draft.ticket = model.next_ticket();
    draft.is_said = false;
    draft.is_warned = false;
    let spares = draft.offer().map(Offer::spares);
    let mut effects = Vec::new();
    draft.counted = match (spares, &model.weigh) {
        (Some(Ok(spares)), Some(weigh)) => {
            effects.push(Effect::Question(Question::Reckon(
                draft.ticket,
                Arc::clone(&weigh.scan),
                spares,
            )));
            Counted::Counting
        }
        (Some(Err(wrong)), _) => Counted::Wrong(wrong),
        (None, _) | (_, None) => Counted::Wrong("There is nothing to exclude here.".to_owned()),
    };
    model.overlay = Some(Overlay::Exclude(Box::new(draft)));
    effects
}

fn show(model: &mut Model, draft: Draft) -> Vec<Effect> {
    model.overlay = Some(Overlay::Exclude(Box::new(draft)));
    Vec::new()
}

/// A key while an exclusion is said.
pub(super) fn press(model: &mut Model, mut draft: Draft, key: KeyEvent) -> Vec<Effect> {
    match key.code {
        KeyCode::Esc => {
            if let Some(at) = draft.changes {
                show_exclusions(model, at);
            }
            Vec::new()
        }
        KeyCode::Enter => {
            draft.is_said = true;
            say(model, draft)
        }
        KeyCode::Tab => {
            draft.field = draft.field.next();
            show(model, draft)
        }
        _ if draft.field == Field::Where => {
            if matches!(
                key.code,
                KeyCode::Up | KeyCode::Down | KeyCode::Left | KeyCode::Right
            ) {
                draft.scope = match draft.scope {
                    Scope::Computer => Scope::Everywhere,
                    Scope::Everywhere | Scope::Run => Scope::Computer,
                };
            }
            show(model, draft)
        }
        KeyCode::Up | KeyCode::Down => {
            let last = draft.offers.len().saturating_sub(1);
            let to = match key.code {
                KeyCode::Up => draft.chosen.saturating_sub(1),
                _ => (draft.chosen + 1).min(last),
            };
            if to == draft.chosen {
                return show(model, draft);
            }
            draft.chosen = to;
            draft.field = Field::What;
            count(model, draft)
        }
        _ => {
            // What is typed shows on the line that is marked.
            let takes_text = draft.offer().and_then(Offer::input).is_some();
            if draft.field == Field::What && !takes_text && matches!(key.code, KeyCode::Char(_)) {
                draft.field = Field::Why;
            }
            let before = draft.offer().and_then(Offer::input).cloned();
            draft.typed_into().handle_event(&Event::Key(key));
            let after = draft.offer().and_then(Offer::input);
            if after.map(Input::value) == before.as_ref().map(Input::value) {
                return show(model, draft);
            }
            count(model, draft)
        }
    }
}

/// Text is pasted into a draft.
pub(super) fn paste(model: &mut Model, mut draft: Draft, line: &str) -> Vec<Effect> {
    for letter in line.chars() {
        let request = tui_input::InputRequest::InsertChar(letter);
        draft.typed_into().handle(request);
    }
    count(model, draft)
}

/// Takes in what a draft would spare.
pub(super) fn reckoned(
    model: &mut Model,
    ticket: u32,
    reckoned: Result<(Arc<Reach>, bool), String>,
) -> Vec<Effect> {
    let mut draft = match model.overlay.take() {
        Some(Overlay::Exclude(draft)) if draft.ticket == ticket => *draft,
        other => {
            model.overlay = other;
            return Vec::new();
        }
    };
    draft.counted = match (reckoned, &model.weigh) {
        (Ok((reach, is_everything)), Some(weigh)) => Counted::Done {
            held: weigh.decisions.held_by(&weigh.scan, &reach),
            reach,
            is_everything,
        },
        (Ok(_), None) => Counted::Counting,
        (Err(wrong), _) => Counted::Wrong(wrong),
    };
    say(model, draft)
}

/// Says it, if that was asked for and it is known what it spares.
fn say(model: &mut Model, mut draft: Draft) -> Vec<Effect> {
    let Counted::Done {
        reach,
        is_everything,
        ..
    } = &draft.counted
    else {
        return show(model, draft);
    };
    if !draft.is_said {
        return show(model, draft);
    }
    if *is_everything && !draft.is_warned {
        draft.is_said = false;
        draft.is_warned = true;
        return show(model, draft);
    }
    let (Some(Ok(spares)), Some(weigh)) = (draft.offer().map(Offer::spares), &model.weigh) else {
        return show(model, draft);
    };
    let why: String = draft.why.value().trim().to_owned();
    let mut exclusion = Exclusion {
        spares,
        why,
        since: Some(weigh.today),
        scope: draft.scope,
        is_suspended: false,
    };
    let known = weigh.decisions.exclusions();
    let is_same = |one: &Excluded| {
        one.exclusion.spares == exclusion.spares && one.exclusion.scope == exclusion.scope
    };
    let same = known.iter().position(is_same);
    if same.is_some() && same != draft.changes {
        draft.is_said = false;
        draft.counted = Counted::Wrong("That is excluded already; X shows it.".to_owned());
        return show(model, draft);
    }
    if let Some(before) = draft.changes.and_then(|at| known.get(at)) {
        exclusion.since = before.exclusion.since;
        exclusion.is_suspended = before.exclusion.is_suspended;
    }
    let reach = Arc::clone(reach);
    let changes = draft.changes;
    let (said, effects) = change(model, |weigh| add(weigh, &exclusion, reach, changes));
    model.message = Some(said);
    if let Some(at) = changes {
        show_exclusions(model, at);
    }
    effects
}

/// Adds an exclusion or puts it in the place of another, as one step; says so.
fn add(
    weigh: &mut Weigh,
    exclusion: &Exclusion,
    reach: Arc<Reach>,
    changes: Option<usize>,
) -> String {
    let scan: Arc<Scan> = Arc::clone(&weigh.scan);
    let what = format!("excluded: {}", exclusion.spares);
    let new = match Excluded::new(&scan, exclusion.clone(), reach) {
        Ok(new) => new,
        Err(error) => return error.to_string(),
    };
    let mut all = weigh.decisions.exclusions().to_vec();
    match changes.and_then(|at| all.get_mut(at)) {
        Some(old) => *old = new,
        None => all.push(new),
    }
    weigh.decisions.exclude(&scan, &what, all);
    format!(
        "Excluded on {}: {}. u undoes it, X shows all.",
        exclusion.scope.words(),
        exclusion.spares
    )
}
