//! Looking into a pile.

use std::sync::Arc;

use jolly_core::decide::{Arrangement, Choice, Disposition, EntryId, Inside, Node, Others};
use jolly_core::pile::Sum;
use jolly_core::rule::Detect;

use crate::tui::keys::Action;
use crate::tui::model::{InsideRow, InsideView, Model, OpenPile, Weigh};
use crate::tui::msg::{Effect, InsideSearch, Question};
use crate::tui::update::change::change;
use crate::tui::update::{moved, weigh};

pub(super) fn act(model: &mut Model, action: Action) -> Vec<Effect> {
    let Some(view) = view_of(model) else {
        return Vec::new();
    };
    match action {
        Action::Up
        | Action::Down
        | Action::PageUp
        | Action::PageDown
        | Action::First
        | Action::Last => view.focus = moved(view.focus, view.len(), action),
        Action::Enter => {
            if let Some(InsideRow::Entry(id)) = view.focused() {
                let is_open = view.is_open(id);
                return set_open(model, id, !is_open);
            }
        }
        Action::Into => {
            if let Some(InsideRow::Entry(id)) = view.focused() {
                return set_open(model, id, true);
            }
        }
        Action::OutOf => return out_of(model),
        Action::Close | Action::Lens => {
            if let Some(weigh) = &mut model.weigh {
                let view = weigh.inside.take();
                return view
                    .map(|view| Effect::LetGo(Box::new(view)))
                    .into_iter()
                    .collect();
            }
        }
        Action::Toggle => return toggle(model),
        Action::Order => return order(model),
        _ => return weigh::act_on_piles(model, action),
    }
    Vec::new()
}

fn view_of(model: &mut Model) -> Option<&mut InsideView> {
    model.weigh.as_mut()?.inside.as_deref_mut()
}

/// Takes in a pile that has been opened or ordered anew.
pub(super) fn opened(
    model: &mut Model,
    ticket: u32,
    opened: Option<(Arc<Inside>, Arc<Arrangement>)>,
) -> Vec<Effect> {
    let Some(weigh) = &mut model.weigh else {
        return Vec::new();
    };
    let Some(view) = weigh.inside.as_mut().filter(|view| view.ticket == ticket) else {
        return Vec::new();
    };
    let Some((inside, arrangement)) = opened else {
        model.message = Some("The pile could not be opened; esc goes back.".to_owned());
        return Vec::new();
    };
    let is_first = view.opened.is_none();
    let rule = weigh.scan.pile(view.pile).rule;
    let is_translations = weigh.scan.rules.rule(rule).rule.detect == Some(Detect::LanguageNotUsed);
    if is_first && is_translations {
        model.message = Some("G chooses by language.".to_owned());
    }
    let top = inside.top();
    view.show(OpenPile {
        takes: inside.takes(&weigh.scan, &weigh.decisions),
        inside,
        arrangement,
    });
    if !is_first {
        return Vec::new();
    }
    let mut asked = vec![top];
    asked.extend(view.open_few());
    look_for_others(model, &asked)
}

/// Takes in what lies in a folder and is not of the pile.
pub(super) fn others(model: &mut Model, ticket: u32, folder: EntryId, others: Others) {
    if let Some(view) = view_of(model).filter(|view| view.ticket == ticket) {
        view.set_others(folder, others);
    }
}

/// Asks what lies in folders and is not of the pile.
fn look_for_others(model: &Model, folders: &[EntryId]) -> Vec<Effect> {
    let asked = folders.iter().filter_map(|folder| {
        let (ticket, search) = search(model, String::new())?;
        Some(Effect::Question(Question::LookForOthers(
            ticket,
            Box::new(search),
            *folder,
        )))
    });
    asked.collect()
}

/// A search inside the pile that is open, and the number of its view.
fn search(model: &Model, text: String) -> Option<(u32, InsideSearch)> {
    let weigh = model.weigh.as_ref()?;
    let view = weigh.inside.as_ref()?;
    let opened = view.opened.as_ref()?;
    let search = InsideSearch {
        scan: Arc::clone(&weigh.scan),
        inside: Arc::clone(&opened.inside),
        arrangement: Arc::clone(&opened.arrangement),
        from: view.found_last,
        text,
    };
    Some((view.ticket, search))
}

fn set_open(model: &mut Model, id: EntryId, is_open: bool) -> Vec<Effect> {
    let Some(view) = view_of(model) else {
        return Vec::new();
    };
    let is_folder = view
        .opened
        .as_ref()
        .is_some_and(|it| it.inside.is_folder(id));
    if !is_folder || view.is_open(id) == is_open {
        return Vec::new();
    }
    view.set_open(id, is_open);
    if is_open && view.others(id).is_none() {
        return look_for_others(model, &[id]);
    }
    Vec::new()
}

/// Closes the folder in focus, or moves to the one that holds what is in focus.
fn out_of(model: &mut Model) -> Vec<Effect> {
    let Some(view) = view_of(model) else {
        return Vec::new();
    };
    let program = match (view.focused(), &view.opened) {
        (Some(InsideRow::Entry(id)), _) if view.is_open(id) => {
            return set_open(model, id, false);
        }
        (Some(InsideRow::Entry(id)), Some(opened)) => opened.inside.parent(id),
        (Some(InsideRow::Other(folder, _) | InsideRow::More(folder)), _) => Some(folder),
        (_, None) | (None, _) => None,
    };
    let top = view.opened.as_ref().map(|opened| opened.inside.top());
    if let Some(program) = program.filter(|program| Some(*program) != top) {
        view.reveal(program);
    }
    Vec::new()
}

/// Orders the entries anew.
fn order(model: &mut Model) -> Vec<Effect> {
    let Some(weigh) = &mut model.weigh else {
        return Vec::new();
    };
    let Some(view) = &mut weigh.inside else {
        return Vec::new();
    };
    let Some(opened) = &view.opened else {
        return Vec::new();
    };
    view.order = view.order.next();
    model.message = Some(format!("Files and folders stand {}.", view.order.words()));
    let (scan, inside) = (Arc::clone(&weigh.scan), Arc::clone(&opened.inside));
    vec![Effect::Question(Question::Arrange(
        view.ticket,
        scan,
        inside,
        view.order,
    ))]
}

/// Takes or leaves what is in focus.
fn toggle(model: &mut Model) -> Vec<Effect> {
    let Some(weigh) = &model.weigh else {
        return Vec::new();
    };
    let Some(view) = &weigh.inside else {
        return Vec::new();
    };
    let (Some(opened), Some(InsideRow::Entry(id))) = (&view.opened, view.focused()) else {
        model.message = Some("It is not of this pile, so it stays.".to_owned());
        return Vec::new();
    };
    let (scan, pile) = (&weigh.scan, view.pile);
    let Some(node) = opened.inside.node(scan, id) else {
        return Vec::new();
    };
    if let Some(why) = &scan.pile(pile).blocked {
        model.message = Some(format!("It can't be taken now: it {why}."));
        return Vec::new();
    }
    let goes = opened.takes(scan, &weigh.decisions, id);
    let choice = wanted(weigh, node, goes);
    let name = opened.inside.shown_name(scan, id);
    let said = match choice {
        Some(Choice::Leave) => "left",
        Some(Choice::Take) => "taken",
        None => "as its pile",
    };
    let what = format!("{name} in {}: {said}", weigh.name_of(pile));
    let ((), effects) = change(model, |weigh| {
        let scan = Arc::clone(&weigh.scan);
        let opened = weigh.inside.as_ref().and_then(|view| view.opened.as_ref());
        let index = opened.map(|opened| opened.inside.index());
        let chosen = (node, choice);
        weigh.decisions.choose(&scan, &what, chosen, index);
    });
    model.message = told(model, node, id, goes);
    effects
}

/// What is chosen for a thing of which so much goes now: it is left when any of it goes; else it
/// goes again as its pile does, or by hand.
fn wanted(weigh: &Weigh, node: Node, goes: Sum) -> Option<Choice> {
    if goes.items > 0 {
        // What was taken by hand alone stays once that is forgotten.
        let is_by_hand = weigh.decisions.choice(node) == Some(Choice::Take);
        let is_left = !weigh.decisions.of(node.pile(&weigh.scan)).is_taken;
        return (!(is_by_hand && is_left)).then_some(Choice::Leave);
    }
    match (node, weigh.decisions.choice(node)) {
        (_, Some(Choice::Leave)) => None,
        (Node::Folder(..) | Node::Item(_), _) => Some(Choice::Take),
    }
}

/// Why nothing of it goes although it was just taken.
fn told(model: &Model, node: Node, id: EntryId, before: Sum) -> Option<String> {
    let weigh = model.weigh.as_ref()?;
    let opened = weigh.inside.as_ref()?.opened.as_ref()?;
    let after = opened.takes(&weigh.scan, &weigh.decisions, id);
    if after.items > 0 || before.items > 0 {
        return None;
    }
    Some(match node {
        Node::Item(item) => match weigh.decisions.standing(&weigh.scan, item) {
            Disposition::Excluded(at) => {
                let all = weigh.decisions.exclusions();
                let name = all.get(at).map(|one| one.exclusion.name());
                format!("It is excluded ({}); X shows all exclusions.", name.unwrap_or_default())
            }
            _ => "It goes as its pile does again; space takes it by hand.".to_owned(),
        },
        Node::Folder(..) => {
            "Nothing in it is old enough, or it is excluded: [ moves the age limit, and single files can be taken."
                .to_owned()
        }
    })
}

/// Looks for what is typed, from where it was found last.
pub(super) fn find(model: &mut Model, text: &str) -> Vec<Effect> {
    if text.is_empty() {
        return Vec::new();
    }
    let Some((ticket, mut search)) = search(model, text.to_owned()) else {
        return Vec::new();
    };
    search.from = None;
    vec![Effect::Question(Question::FindInside(
        ticket,
        Box::new(search),
    ))]
}

/// Looks for the next one that is called so.
pub(super) fn find_next(model: &mut Model, text: &str) -> Vec<Effect> {
    let found = search(model, text.to_owned());
    let found = found.filter(|_| !text.is_empty());
    found
        .map(|(ticket, search)| Effect::Question(Question::FindInside(ticket, Box::new(search))))
        .into_iter()
        .collect()
}

/// Moves to what was found.
pub(super) fn found(model: &mut Model, ticket: u32, found: Option<EntryId>) -> Vec<Effect> {
    let Some(view) = view_of(model).filter(|view| view.ticket == ticket) else {
        return Vec::new();
    };
    view.found_last = found;
    let Some(id) = found else {
        model.message = Some("Nothing in this pile is called so.".to_owned());
        return Vec::new();
    };
    let opened = view.reveal(id);
    model.message = None;
    look_for_others(model, &opened)
}
