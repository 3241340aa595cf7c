//! Saying of two folders that share files which side goes.

mod versions;

use std::sync::Arc;

use jolly_core::computer::TargetPath;
use jolly_core::pile::Sum;
use jolly_core::rule::Survey;
use jolly_core::source::PileId;
use jolly_core::survey::{
    ChosenCopy, CopyNews, FileSort, PairChoice, Side, chosen_copies, chosen_versions,
};

use crate::tui::keys::Action;
use crate::tui::model::{
    CopiesSaid, CopiesToTake, CopiesView, CopyRow, KnownCopies, Model, Overlay, Row, Station, Weigh,
};
use crate::tui::msg::{Effect, Keeping, Question, SpaceQuestion};
use crate::tui::update::{moved, start_scan};
use crate::wording::{bytes, count, counted, counted_copies};
pub(super) use versions::found as found_versions;

/// Opens the lens.
pub(super) fn open(model: &mut Model) -> Vec<Effect> {
    let Some(weigh) = &model.weigh else {
        return Vec::new();
    };
    let mut view = CopiesView::new();
    let effects = if let Some(known) = &weigh.copies {
        view.versions.clone_from(&weigh.versions);
        view.read(Arc::clone(known), weigh.copies_said.clone());
        Vec::new()
    } else {
        let scan = Arc::clone(&weigh.scan);
        let asked = SpaceQuestion::Copies(weigh.space.clone(), model.session.clone());
        vec![Effect::Question(Question::Space(scan, asked))]
    };
    model.overlay = Some(Overlay::Copies(Box::new(view)));
    effects
}

/// The lens, where it is open.
fn view_of(model: &mut Model) -> Option<&mut CopiesView> {
    match &mut model.overlay {
        Some(Overlay::Copies(view)) => Some(view),
        Some(Overlay::Find(_, Some(behind)) | Overlay::Help(_, Some(behind))) => {
            match &mut **behind {
                Overlay::Copies(view) => Some(view),
                _ => None,
            }
        }
        _ => None,
    }
}

/// Hears how far the look is.
pub(super) fn compared(model: &mut Model, news: CopyNews) {
    if let Some(view) = view_of(model) {
        view.news = news;
    }
}

/// Takes in what was found; nothing when that broke off.
pub(super) fn found(model: &mut Model, known: Option<Arc<KnownCopies>>) {
    let Some(known) = known else {
        model.message = Some("What is there twice could not be found out.".to_owned());
        return;
    };
    if let Some(weigh) = &mut model.weigh {
        weigh.space = Some(Arc::clone(&known.space));
        weigh.copies_said.pairs.clone_from(&known.said);
        weigh.copies = Some(Arc::clone(&known));
    }
    if let Some(view) = view_of(model) {
        let pairs = known.said.clone();
        let versions = view.said.versions.clone();
        view.read(known, CopiesSaid { pairs, versions });
    }
}

pub(super) fn act(model: &mut Model, mut view: Box<CopiesView>, action: Action) -> Vec<Effect> {
    match action {
        Action::Toggle => {
            model.message = Some(match view.rows.get(view.focus).copied() {
                Some(CopyRow::Sort(at, sort)) => turn_sort(&mut view, at, sort),
                Some(CopyRow::Versions(group)) => versions::turn_group(&mut view, group),
                Some(CopyRow::Version(group, at)) => versions::turn(&mut view, group, at),
                _ => next_side(&mut view),
            });
        }
        Action::MeantTheSame => {
            let effects = mean_the_same(model, &mut view);
            model.overlay = Some(Overlay::Copies(view));
            return effects;
        }
        Action::Undo => match view.before.pop() {
            Some(before) => {
                view.said = before;
                view.sum_up();
            }
            None => model.message = Some("Nothing to undo here.".to_owned()),
        },
        Action::Order => {
            let effects = versions::next_list(model, &mut view);
            model.overlay = Some(Overlay::Copies(view));
            return effects;
        }
        Action::Enter | Action::Into | Action::OutOf => turn(&mut view, action),
        _ => view.focus = moved(view.focus, view.rows.len(), action),
    }
    model.overlay = Some(Overlay::Copies(view));
    Vec::new()
}

/// Shows the files of what is in focus, or hides them.
fn turn(view: &mut CopiesView, action: Action) {
    let Some(row) = view.rows.get(view.focus).copied() else {
        return;
    };
    let head = match row {
        CopyRow::Pair(_) | CopyRow::Sort(..) | CopyRow::Rest(_) | CopyRow::Versions(_) => row,
        CopyRow::Shared(pair, _) => head_of_files(view, pair),
        CopyRow::RestFile(group, _) => CopyRow::Rest(group),
        CopyRow::Version(group, _) => CopyRow::Versions(group),
    };
    let is_open = view.opened.contains(&head);
    match action {
        Action::Into if is_open => return,
        Action::OutOf if !is_open => return,
        Action::Into => drop(view.opened.insert(head)),
        Action::Enter if !is_open => drop(view.opened.insert(head)),
        _ => {
            view.opened.remove(&head);
            let at = view.rows.iter().position(|row| *row == head);
            view.focus = at.unwrap_or(view.focus);
        }
    }
    view.arrange();
}

/// The row above files of a pair: their sort's, or the pair's own.
fn head_of_files(view: &CopiesView, pair: usize) -> CopyRow {
    let above = view.rows.get(..view.focus).unwrap_or_default();
    let is_head = |row: &&CopyRow| !matches!(row, CopyRow::Shared(..));
    let head = above.iter().rev().find(is_head).copied();
    head.unwrap_or(CopyRow::Pair(pair))
}

/// Says that files of the sort in focus go, too, or that both sides keep them.
fn turn_sort(view: &mut CopiesView, at: usize, sort: FileSort) -> String {
    let Some((_, pair)) = view.focused_pair() else {
        return String::new();
    };
    let suggested = pair.stays.map_or(Side::A, |(side, _)| side);
    let Some(known) = view.known.clone() else {
        return String::new();
    };
    let sorts = known.copies.by_sort(pair);
    let all = || sorts.keys().copied();
    view.before.push(view.said.clone());
    let before = view.said.pairs.iter().position(|choice| choice.pair == at);
    let mut choice = match before {
        Some(position) => view.said.pairs.remove(position),
        None => PairChoice {
            pair: at,
            stays: suggested,
            spares: all().collect(),
        },
    };
    let goes = choice.spares.remove(&sort);
    if !goes {
        choice.spares.insert(sort);
    }
    // Where nothing of it goes, nothing is said.
    if all().any(|sort| !choice.spares.contains(&sort)) {
        view.said.pairs.push(choice);
    }
    view.sum_up();
    if goes {
        format!("Of the {} they share, one side's go.", sort.plural())
    } else {
        format!("Of the {} they share, both sides' stay.", sort.plural())
    }
}

/// Says of the pair in focus that the other side goes: first the one that is suggested, then the other, then none.
fn next_side(view: &mut CopiesView) -> String {
    let Some((at, pair)) = view.focused_pair() else {
        return "These fit no pair of folders: make piles of their folders to decide about them."
            .to_owned();
    };
    let suggested = pair.stays.map_or(Side::A, |(side, _)| side);
    let other = match suggested {
        Side::A => Side::B,
        Side::B => Side::A,
    };
    let next = match view.said_of(at) {
        None => Some(suggested),
        Some(choice) if choice.stays == suggested => Some(other),
        Some(_) => None,
    };
    let (files, held, a, b) = (pair.groups.len() as u64, pair.bytes, pair.a, pair.b);
    view.before.push(view.said.clone());
    view.said.pairs.retain(|choice| choice.pair != at);
    let place = |folder| {
        let known = view.known.as_ref();
        known.map_or_else(String::new, |known| known.place(folder))
    };
    let text = match next {
        Some(stays) => {
            let (kept, goes) = match stays {
                Side::A => (place(a), place(b)),
                Side::B => (place(b), place(a)),
            };
            let files = counted(files, "file");
            view.said.pairs.push(PairChoice::all(at, stays));
            format!(
                "{files}, {}, will go from {goes}; {kept} stays.",
                bytes(held)
            )
        }
        None => "Both sides stay.".to_owned(),
    };
    view.sum_up();
    text
}

/// Says that the two folders of the pair in focus are meant to be the same, or takes that back.
fn mean_the_same(model: &mut Model, view: &mut CopiesView) -> Vec<Effect> {
    let (Some((at, pair)), Some(session)) = (view.focused_pair(), model.session.clone()) else {
        model.message = Some("Only pairs of folders can be meant to be the same.".to_owned());
        return Vec::new();
    };
    let tree = view.known.as_ref().map(|known| &known.space.tree);
    let text = |folder| {
        let path = tree.map(|tree| tree.folder_path(folder));
        path.and_then(|path| String::from_utf8(path.as_bytes().to_vec()).ok())
    };
    let (Some(a), Some(b)) = (text(pair.a), text(pair.b)) else {
        model.message =
            Some("One of their names is no text, so it can't be written down.".to_owned());
        return Vec::new();
    };
    let is_meant = !view.meant.remove(&at);
    model.message = Some(if is_meant {
        view.meant.insert(at);
        view.before.push(view.said.clone());
        view.said.pairs.retain(|choice| choice.pair != at);
        view.sum_up();
        "They are meant to be the same: from the next look on they aren't told. M takes it back."
            .to_owned()
    } else {
        "They are copies again.".to_owned()
    });
    vec![Effect::Keep(session, Keeping::MeantTheSame(a, b, is_meant))]
}

/// Closes the lens; what was said anew is looked for by a scan, which makes a pile of it.
pub(super) fn close(model: &mut Model, view: CopiesView) -> Vec<Effect> {
    let Some((known, weigh)) = view.known.zip(model.weigh.as_mut()) else {
        return Vec::new();
    };
    weigh.copies_said.clone_from(&view.said);
    weigh.versions.clone_from(&view.versions);
    let mut chosen = chosen_copies(&known.copies, &known.space.tree, &view.said.pairs);
    chosen.extend(match &view.versions {
        Some(versions) => chosen_versions(versions, &known.space.tree, &view.said.versions),
        // What was said of them before holds until they are looked for again.
        None => versions::of_scan(&weigh.scan.copies).cloned().collect(),
    });
    let goes =
        |all: &[ChosenCopy]| -> Vec<_> { all.iter().map(|copy| copy.goes.clone()).collect() };
    if goes(&chosen) == goes(&weigh.scan.copies) {
        return Vec::new();
    }
    model.copies_to_take = Some(CopiesToTake {
        chosen: chosen.into(),
        known,
        versions: view.versions,
        said: view.said,
    });
    model.report = None;
    model.station = Station::Scan;
    start_scan(model)
}

/// A scan is over that was to take copies: what is known of them is as it was. Says whether it was such a scan.
pub(super) fn chosen(model: &mut Model, weigh: &mut Weigh) -> bool {
    let Some(to_take) = model.copies_to_take.take() else {
        return false;
    };
    weigh.space = Some(Arc::clone(&to_take.known.space));
    weigh.copies = Some(to_take.known);
    weigh.versions = to_take.versions;
    weigh.copies_said = to_take.said;
    true
}

/// Puts the pile of the copies in focus, and says what it is.
pub(super) fn tell(model: &mut Model) {
    let Some(weigh) = &mut model.weigh else {
        return;
    };
    let piles = weigh.decisions.shown(&weigh.scan);
    let own = piles.filter(|id| weigh.scan.survey_of(*id).is_some_and(Survey::has_twins));
    let own: Vec<_> = own.collect();
    let Some(pile) = own.first().copied() else {
        model.message = Some(if weigh.scan.copies.is_empty() {
            "No copies go.".to_owned()
        } else {
            "None of them may go: they are guarded, or of another pile.".to_owned()
        });
        return;
    };
    let mut takes = Sum::default();
    for id in &own {
        takes.add(weigh.decisions.takes(*id));
    }
    let row = weigh.rows.iter().position(|row| *row == Row::Pile(pile));
    weigh.focus = row.unwrap_or(weigh.focus);
    let is_copy = |id: &PileId| weigh.scan.survey_of(*id) == Some(Survey::Copies);
    let many = if own.iter().all(is_copy) {
        counted_copies(takes.items)
    } else if own.iter().any(is_copy) {
        counted(takes.items, "file")
    } else {
        counted(takes.items, "version")
    };
    let stay = (weigh.scan.copies.len() as u64).saturating_sub(takes.items);
    let stay = match stay {
        0 => String::new(),
        stay => format!(
            " {} more may not go: guarded, or of another pile.",
            count(stay)
        ),
    };
    model.message = Some(format!(
        "{many}, {}, will go, set aside: what stays for each is looked at once more before. w: another way.{stay}",
        bytes(takes.bytes)
    ));
}

/// How many copies of a pile's account have the file that stays for them outside of it: these are never tied together.
pub(super) fn of_other_accounts(weigh: &Weigh, pile: PileId) -> u64 {
    let scan = &weigh.scan;
    let account = scan.pile(pile).account;
    let account = account.and_then(|at| scan.target.accounts.get(at));
    let Some(account) = account else { return 0 };
    let is_own = |path: &TargetPath| path.below(&account.home).is_some();
    let same = scan.copies.iter().filter(|copy| copy.as_read.is_none());
    same.filter(|copy| is_own(&copy.goes) && !is_own(&copy.stays))
        .count() as u64
}

/// What a row is called.
pub(super) fn holds(view: &CopiesView, at: usize) -> String {
    let row = view.rows.get(at).copied();
    row.map_or_else(String::new, |row| view.name_of(row))
}
