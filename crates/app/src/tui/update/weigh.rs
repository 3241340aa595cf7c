//! Deciding.

use std::sync::Arc;

use jolly_core::decide::{InsideOrder, PileDecision};
use jolly_core::report::decided;
use jolly_core::rule::{AgeLimit, Class, Removal};
use jolly_core::source::PileId;
use jolly_core::survey::Sign;
use tui_input::Input;

use crate::tui::keys::Action;
use crate::tui::model::{
    Check, ExclusionsView, InsideView, Model, Overlay, PlaceDraft, Row, Rulebooks, StartsView,
    Station, Weigh,
};
use crate::tui::msg::{Effect, Keeping, Question, RunWork};
use crate::tui::update::change::{back_or_again, change};
use crate::tui::update::find::{self, Start};
use crate::tui::update::{
    copies, exclude, export, has_said_yes, languages, packing, sites, space, start_scan, upkeep,
};
use crate::wording::{bytes, counted, limit_words};

/// How far a page goes.
const PAGE: isize = 10;

pub(super) fn act(model: &mut Model, action: Action) -> Vec<Effect> {
    let Some(weigh) = &mut model.weigh else {
        return Vec::new();
    };
    match action {
        Action::Up => step(weigh, -1),
        Action::Down => step(weigh, 1),
        Action::PageUp => (0..PAGE).for_each(|_| step(weigh, -1)),
        Action::PageDown => (0..PAGE).for_each(|_| step(weigh, 1)),
        Action::First => {
            weigh.focus = 0;
            skip_gap(weigh, 1);
        }
        Action::Last => {
            weigh.focus = weigh.rows.len().saturating_sub(1);
            skip_gap(weigh, -1);
        }
        Action::Toggle => {
            let piles = meant(weigh, false);
            model.message = toggle(model, &piles);
        }
        Action::Order => {
            let was_here = weigh.regrown.is_some();
            weigh.arranged.order = weigh.arranged.order.next(was_here);
            weigh.arrange();
            model.message = Some(format!("Rows are {}.", weigh.arranged.order.words()));
        }
        Action::Enter => return enter(model),
        Action::Export => return export::ages(model),
        Action::Lens => return sites::open(model),
        Action::LookAgain => {
            model.station = Station::Scan;
            model.report = None;
            return start_scan(model);
        }
        Action::Rules => {
            if let Some(session) = &model.session {
                let view = Rulebooks::new(session, &model.rules_off, model.weigh.as_ref());
                model.overlay = Some(Overlay::Rulebooks(view));
            }
        }
        Action::Starts => {
            if let Some(session) = &model.session {
                let view = StartsView::new(session, &model.selection.starts);
                model.overlay = Some(Overlay::Starts(Box::new(view)));
            }
        }
        Action::Space => return space::open(model),
        Action::Copies => return copies::open(model),
        Action::Add => model.overlay = Some(Overlay::Place(Box::new(PlaceDraft::new()))),
        _ => return act_on_piles(model, action),
    }
    Vec::new()
}

/// What can be done to the piles in focus, from outside or from inside.
pub(super) fn act_on_piles(model: &mut Model, action: Action) -> Vec<Effect> {
    let Some(weigh) = &mut model.weigh else {
        return Vec::new();
    };
    match action {
        Action::Younger => shift(model, AgeLimit::younger, false),
        Action::Older => shift(model, AgeLimit::older, false),
        Action::ClassYounger => shift(model, AgeLimit::younger, true),
        Action::ClassOlder => shift(model, AgeLimit::older, true),
        Action::ExactAge => model.overlay = Some(Overlay::ExactAge(Input::default(), None)),
        Action::Way => next_way(model),
        Action::OnlyThis => only_this(model),
        Action::Exclude => return exclude::begin(model),
        Action::Pack => return packing::begin(model),
        Action::Languages => return languages::open(model),
        Action::Exclusions => {
            let view = ExclusionsView::new(weigh, 0);
            model.overlay = Some(Overlay::Exclusions(view));
        }
        Action::Decided => {
            let (_, at) = weigh.decisions.steps();
            model.overlay = Some(Overlay::Decided(at));
        }
        Action::Undo | Action::Redo => return back_or_again(model, action),
        Action::Back => model.station = Station::Scan,
        Action::Onward => return check(model),
        _ => {}
    }
    Vec::new()
}

/// Looks into the pile in focus, or opens or closes the class or the small piles in focus.
fn enter(model: &mut Model) -> Vec<Effect> {
    let Some(weigh) = &mut model.weigh else {
        return Vec::new();
    };
    let (list, class) = match weigh.rows.get(weigh.focus).copied() {
        Some(Row::Heading(class)) => (&mut weigh.arranged.folded, class),
        Some(Row::Small(class)) => (&mut weigh.arranged.opened, class),
        Some(Row::Pile(_) | Row::Gap) | None => return look_inside(model),
    };
    let before = list.len();
    list.retain(|other| *other != class);
    if list.len() == before {
        list.push(class);
    }
    weigh.arrange();
    Vec::new()
}

fn look_inside(model: &mut Model) -> Vec<Effect> {
    let ticket = model.next_ticket();
    let Some(weigh) = &mut model.weigh else {
        return Vec::new();
    };
    let Some(pile) = weigh.focused_pile() else {
        return Vec::new();
    };
    let order = InsideOrder::Biggest;
    weigh.inside = Some(Box::new(InsideView::opening(pile, order, ticket)));
    let scan = Arc::clone(&weigh.scan);
    vec![Effect::Question(Question::LookInside(
        ticket, scan, pile, order,
    ))]
}

/// Walks on to check.
pub(super) fn check(model: &mut Model) -> Vec<Effect> {
    let Some(weigh) = &model.weigh else {
        return Vec::new();
    };
    let Some(session) = model.session.clone() else {
        return Vec::new();
    };
    model.job += 1;
    model.station = Station::Check;
    let waiting = Check::waiting(Arc::clone(&weigh.scan));
    let before = model.check.replace(waiting);
    let decisions = Box::new(weigh.decisions.clone());
    let mut effects = vec![Effect::Run(RunWork::List(
        model.job,
        session,
        Arc::clone(&weigh.scan),
        decisions,
    ))];
    effects.extend(before.map(|before| Effect::LetGo(Box::new(before))));
    effects.extend(keep_decided(model));
    effects.extend(upkeep::look(model));
    effects
}

/// Keeps what is decided, for whoever goes on with this visit; nothing where nobody decided anything.
pub(super) fn keep_decided(model: &Model) -> Option<Effect> {
    let (session, weigh) = model.session.as_ref().zip(model.weigh.as_ref())?;
    let (steps, _) = weigh.decisions.steps();
    let is_open = model.report.is_none() && !steps.is_empty();
    is_open.then(|| {
        let decided = decided(&weigh.scan, &weigh.decisions);
        Effect::Keep(Arc::clone(session), Keeping::Decided(decided))
    })
}

pub(super) fn step(weigh: &mut Weigh, by: isize) {
    let last = weigh.rows.len().saturating_sub(1);
    weigh.focus = weigh.focus.saturating_add_signed(by).min(last);
    skip_gap(weigh, by);
}

/// Leaves a gap, in the direction of the step.
fn skip_gap(weigh: &mut Weigh, by: isize) {
    if matches!(weigh.rows.get(weigh.focus), Some(Row::Gap)) {
        weigh.focus = weigh.focus.saturating_add_signed(by.signum());
    }
}

/// The piles that a key means: the one in focus or looked into, or all of the class in focus.
fn meant(weigh: &Weigh, whole_class: bool) -> Vec<PileId> {
    let of_class = |class: Class| {
        let shown = weigh.decisions.shown(&weigh.scan);
        shown.filter(|id| weigh.class_of(*id) == class).collect()
    };
    match (weigh.rows.get(weigh.focus), &weigh.inside) {
        (_, Some(view)) if !whole_class => vec![view.pile],
        (Some(Row::Heading(class)), _) => of_class(*class),
        (Some(Row::Small(class)), _) if whole_class => of_class(*class),
        (Some(Row::Small(class)), _) => weigh.small_of(*class).to_vec(),
        (Some(Row::Pile(id)), _) if whole_class => of_class(weigh.class_of(*id)),
        (Some(Row::Pile(id)), _) => vec![*id],
        (Some(Row::Gap) | None, _) => Vec::new(),
    }
}

/// What a step about these piles is called.
fn named(weigh: &Weigh, piles: &[PileId]) -> String {
    match piles {
        [one] => weigh.name_of(*one),
        [one, ..] => {
            let class = weigh.class_of(*one);
            let is_small = weigh.small_of(class) == piles;
            let which = if is_small { "small piles" } else { "all" };
            format!("{which} of {}", class.name())
        }
        [] => "nothing".to_owned(),
    }
}

/// Decides about some piles; `said` is what the step says of them.
pub(super) fn decide(
    model: &mut Model,
    piles: &[PileId],
    said: &str,
    new: impl Fn(PileDecision) -> PileDecision,
) {
    let ((), effects) = change(model, |weigh| {
        let wanted = piles.iter().map(|id| (*id, new(weigh.decisions.of(*id))));
        let wanted: Vec<_> = wanted.collect();
        let what = format!("{}: {said}", named(weigh, piles));
        let scan = Arc::clone(&weigh.scan);
        weigh.decisions.decide(&scan, &what, &wanted);
    });
    // What is decided about piles excludes nothing.
    debug_assert!(effects.is_empty());
}

type Shift = fn(Option<AgeLimit>) -> Option<AgeLimit>;

fn shift(model: &mut Model, shift: Shift, whole_class: bool) {
    let Some(weigh) = &model.weigh else { return };
    let piles = meant(weigh, whole_class);
    let limits = piles.iter().map(|id| shift(weigh.decisions.of(*id).limit));
    let limits: Vec<_> = limits.collect();
    let said = match limits.as_slice() {
        [limit] => limit_words(*limit),
        _ => "age limits moved".to_owned(),
    };
    decide(model, &piles, &said, |before| PileDecision {
        limit: shift(before.limit),
        ..before
    });
    tell_left(model, &piles, &said);
}

/// A limit of what is left changes nothing that shows, so it is said.
fn tell_left(model: &mut Model, piles: &[PileId], said: &str) {
    let Some(weigh) = &model.weigh else { return };
    if piles.iter().all(|id| !weigh.decisions.of(*id).is_taken) {
        model.message = Some(format!("{said}; still left, space takes it."));
    }
}

/// Sets the limit of one pile.
pub(super) fn set_limit(model: &mut Model, pile: PileId, limit: Option<AgeLimit>) {
    decide(model, &[pile], &limit_words(limit), |before| PileDecision {
        limit,
        ..before
    });
}

/// Takes or leaves a pile. Several are left when any of them is taken; before what may be somebody's
/// own is taken as a whole, it is asked.
pub(super) fn toggle(model: &mut Model, piles: &[PileId]) -> Option<String> {
    let weigh = model.weigh.as_ref()?;
    let blocked = piles
        .iter()
        .filter_map(|id| weigh.scan.pile(*id).blocked.as_ref());
    let blocked: Vec<String> = blocked.map(ToString::to_string).collect();
    let is_taken = piles.iter().any(|id| weigh.decisions.of(*id).is_taken);
    let is_asking =
        piles.len() > 1 && !is_taken && piles.iter().any(|id| weigh.class_of(*id) == Class::Ask);
    if is_asking {
        let held = piles.iter().map(|id| weigh.scan.pile(*id).found().bytes);
        let held: u64 = held.sum();
        let many = counted(piles.len() as u64, "pile");
        let words = format!(
            "space once more takes {many} of {}, that may be somebody's own.",
            bytes(held)
        );
        if !has_said_yes(model, Action::Toggle) {
            return Some(words);
        }
    }
    let said = if is_taken { "left" } else { "taken" };
    decide(model, piles, said, |before| PileDecision {
        is_taken: !is_taken,
        ..before
    });
    match blocked.as_slice() {
        [why] if piles.len() == 1 => Some(format!("It can't be taken now: it {why}.")),
        _ => None,
    }
}

/// Takes the pile in focus and leaves all others, as one step.
fn only_this(model: &mut Model) {
    let Some(weigh) = &model.weigh else { return };
    let Some(pile) = weigh.focused_pile() else {
        model.message = Some("Only a single pile can be taken alone.".to_owned());
        return;
    };
    let name = weigh.name_of(pile);
    let ((), effects) = change(model, |weigh| {
        let scan = Arc::clone(&weigh.scan);
        let wanted = weigh.decisions.shown(&scan).map(|id| {
            let before = weigh.decisions.of(id);
            let is_taken = id == pile;
            (id, PileDecision { is_taken, ..before })
        });
        let wanted: Vec<_> = wanted.collect();
        weigh
            .decisions
            .decide(&scan, &format!("only {name}"), &wanted);
    });
    debug_assert!(effects.is_empty());
    model.message = Some(format!("Only {name} is taken now; u undoes it."));
}

/// Goes on to the next way in which the items of the pile may leave, the gentlest first; before the one
/// that nobody can bring anything back from, it is asked.
fn next_way(model: &mut Model) {
    let Some(weigh) = &model.weigh else { return };
    let piles = meant(weigh, false);
    let [pile] = piles.as_slice() else {
        model.message = Some("The way things go is chosen pile by pile.".to_owned());
        return;
    };
    let scan = &weigh.scan;
    let mut ways = scan.rules.rule(scan.pile(*pile).rule).rule.ways();
    ways.retain(|by| *by != Removal::Clone || scan.target.can_clone);
    let now = weigh.decisions.of(*pile).by;
    let at = ways.iter().position(|by| *by == now).map_or(0, |at| at + 1);
    let Some(by) = ways.get(at % ways.len().max(1)).copied() else {
        return;
    };
    let apart = match by {
        Removal::HardLink => copies::of_other_accounts(weigh, *pile),
        _ => 0,
    };
    if let Some(asks) = asks_before(by)
        && !has_said_yes(model, Action::Way)
    {
        model.message = Some(format!("w once more {asks}."));
        return;
    }
    model.asked = None;
    let said = by.words();
    let but = match apart {
        0 => String::new(),
        many => format!(
            " {} stay as they are: what stays for them is another account's.",
            counted(many, "item")
        ),
    };
    model.message = Some(format!("What is taken of it {said}.{but}"));
    decide(model, &piles, said, |before| PileDecision { by, ..before });
}

/// What a way is asked for first that can't be undone, or ties files together.
fn asks_before(by: Removal) -> Option<&'static str> {
    match by {
        Removal::Overwrite => {
            Some("has it written over before it goes: slower, and nothing brings it back")
        }
        Removal::HardLink => {
            Some("makes each one more name of the file that stays: who changes one changes both")
        }
        Removal::Remove | Removal::SetAside | Removal::Clone | Removal::Pack | Removal::Unpack => {
            None
        }
    }
}

/// Sets the age limit that was typed; empty or "any age" for none.
pub(super) fn set_exact_age(model: &mut Model, text: &str) -> Result<(), String> {
    let Some(weigh) = &model.weigh else {
        return Ok(());
    };
    let limit = read_limit(text)?;
    let piles = meant(weigh, false);
    decide(model, &piles, &limit_words(limit), |before| PileDecision {
        limit,
        ..before
    });
    tell_left(model, &piles, &limit_words(limit));
    Ok(())
}

/// An age limit as it is typed; empty or "any age" for none.
pub(super) fn read_limit(text: &str) -> Result<Option<AgeLimit>, String> {
    match text.trim() {
        "" | "any" | "any age" => Ok(None),
        text => text
            .parse::<AgeLimit>()
            .map(Some)
            .map_err(|error| error.to_string()),
    }
}

/// Moves to the first pile whose title, account or rule holds the text; a folded class opens for it.
pub(super) fn find(model: &mut Model, text: &str, start: Start) {
    let Some(weigh) = &mut model.weigh else {
        return;
    };
    let holds = |id: &PileId| {
        let pile = weigh.scan.pile(*id);
        let rule = weigh.scan.rules.rule(pile.rule);
        let account = weigh.scan.account_name(pile).unwrap_or("system");
        find::holds(&format!("{} {account} {}", rule.rule.title, rule.id), text)
    };
    let on_screen = weigh.rows.iter().filter_map(|row| match row {
        Row::Pile(id) => Some(*id),
        Row::Heading(_) | Row::Small(_) | Row::Gap => None,
    });
    let mut all: Vec<PileId> = on_screen.collect();
    // Those in folded rows come behind, so that each pile stands there once.
    for id in weigh.decisions.shown(&weigh.scan) {
        if !all.contains(&id) {
            all.push(id);
        }
    }
    let focus = weigh.focused_pile();
    let focus = all.iter().position(|id| Some(*id) == focus).unwrap_or(0);
    let is_it = |at: usize| all.get(at).is_some_and(&holds);
    let found = find::first(all.len(), focus, start, is_it);
    let Some(id) = found.and_then(|at| all.get(at).copied()) else {
        model.message = Some("No pile is called so.".to_owned());
        return;
    };
    show(weigh, id);
    model.message = None;
}

/// Moves to the largest pile of these rules and of this account; whether there is one.
pub(super) fn go_to_sign(model: &mut Model, sign: &Sign) -> bool {
    let (Some(weigh), Some((rules, account))) = (&mut model.weigh, sign.piles()) else {
        return false;
    };
    let is_it = |id: &PileId| {
        let pile = weigh.scan.pile(*id);
        let own = weigh.scan.rules.rule(pile.rule).id.to_string();
        let half = own.rsplit('/').next().unwrap_or(&own);
        let of = weigh.scan.account_name(pile);
        rules.contains(&half) && account.is_none_or(|name| of == Some(&**name))
    };
    let held = |id: &PileId| weigh.scan.pile(*id).found().bytes;
    let found = weigh
        .decisions
        .shown(&weigh.scan)
        .filter(is_it)
        .max_by_key(held);
    if let Some(id) = found {
        show(weigh, id);
    }
    found.is_some()
}

/// Moves to a pile, and opens what hides it.
fn show(weigh: &mut Weigh, id: PileId) {
    let class = weigh.class_of(id);
    let is_in_small = weigh.is_in_small(id);
    if weigh.arranged.folded.contains(&class) || is_in_small {
        weigh.arranged.folded.retain(|folded| *folded != class);
        if is_in_small {
            weigh.arranged.opened.push(class);
        }
        weigh.arrange();
    }
    let at = weigh.rows.iter().position(|row| *row == Row::Pile(id));
    weigh.focus = at.unwrap_or(weigh.focus);
}
