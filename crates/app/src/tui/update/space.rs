//! Looking where the space is: into folders and out of them, and making a pile of one.

use std::sync::Arc;

use jolly_core::computer::TargetPath;
use jolly_core::decide::Spares;
use jolly_core::pile::Scan;
use jolly_core::survey::{Part, Shelf, Space};
use ratatui::crossterm::event::{MouseButton, MouseEvent, MouseEventKind};
use tui_input::Input;

use crate::tui::areas::{SpaceSpot, first_row, space_at, space_extent, space_room};
use crate::tui::keys::Action;
use crate::tui::model::{Model, Overlay, PlaceDraft, SpaceList, SpaceView, Subject, Weigh};
use crate::tui::msg::{Effect, Question, SpaceNews, SpaceQuestion};
use crate::tui::update::{copies, exclude, export, moved, packing};

/// Opens the lens.
pub(super) fn open(model: &mut Model) -> Vec<Effect> {
    let Some(weigh) = &model.weigh else {
        return Vec::new();
    };
    let mut view = SpaceView::new(weigh.scan.now, space_extent(model.size));
    let effects = if let Some(space) = &weigh.space {
        view.folder = weigh.space_folder;
        view.read(Arc::clone(space));
        ask_snapshots(weigh)
    } else {
        let scan = Arc::clone(&weigh.scan);
        let session = model.session.clone();
        let asked = SpaceQuestion::Walk(session);
        vec![Effect::Question(Question::Space(scan, asked))]
    };
    model.overlay = Some(Overlay::Space(Box::new(view)));
    effects
}

/// The lens, where it is open.
fn view_of(model: &mut Model) -> Option<&mut SpaceView> {
    let behind = match &mut model.overlay {
        Some(Overlay::Space(view)) => return Some(view),
        Some(Overlay::Find(_, Some(behind)) | Overlay::Help(_, Some(behind))) => behind,
        Some(Overlay::Packing(view)) => view.behind.as_mut()?,
        _ => return None,
    };
    match &mut **behind {
        Overlay::Space(view) => Some(view),
        _ => None,
    }
}

/// Hears of a scan that is still weighed.
pub(super) fn hear(model: &mut Model, scan: &Arc<Scan>, news: SpaceNews) -> Vec<Effect> {
    let weigh = model.weigh.as_ref();
    if !weigh.is_some_and(|weigh| Arc::ptr_eq(&weigh.scan, scan)) {
        return Vec::new();
    }
    match news {
        SpaceNews::Walked(news) => {
            if let Some(view) = view_of(model) {
                view.news = news;
            }
        }
        SpaceNews::Found(space) => return found(model, space),
        SpaceNews::Snapshots(known) => {
            if let Some(space) = weigh.and_then(|weigh| weigh.space.as_ref()) {
                space.note_snapshots(known);
            }
        }
        SpaceNews::Compared(news) => copies::compared(model, news),
        SpaceNews::Copies(known) => copies::found(model, known),
        SpaceNews::Versions(found) => copies::found_versions(model, found),
    }
    Vec::new()
}

/// Asks what snapshots hold, unless that is known.
fn ask_snapshots(weigh: &Weigh) -> Vec<Effect> {
    let space = weigh.space.as_ref();
    let asked = space.filter(|space| space.may_have_snapshots());
    let question = |space: &Arc<Space>| {
        let asked = SpaceQuestion::Snapshots(Arc::clone(space));
        Question::Space(Arc::clone(&weigh.scan), asked)
    };
    asked
        .map(|space| Effect::Question(question(space)))
        .into_iter()
        .collect()
}

/// Takes in what was found; nothing when that broke off.
fn found(model: &mut Model, space: Option<Arc<Space>>) -> Vec<Effect> {
    let Some(space) = space else {
        model.message = Some("Where the space is could not be found out.".to_owned());
        return Vec::new();
    };
    let mut effects = Vec::new();
    if let Some(weigh) = &mut model.weigh {
        weigh.space = Some(Arc::clone(&space));
        effects = ask_snapshots(weigh);
    }
    if let Some(view) = view_of(model) {
        view.read(space);
    }
    effects
}

/// The screen has another size.
pub(super) fn resized(model: &mut Model, size: (u16, u16)) -> Vec<Effect> {
    model.size = size;
    let extent = space_extent(size);
    if let Some(view) = view_of(model) {
        view.extent = extent;
        view.arrange();
    }
    Vec::new()
}

pub(super) fn act(model: &mut Model, mut view: Box<SpaceView>, action: Action) -> Vec<Effect> {
    match action {
        Action::Lens => return Vec::new(),
        Action::Copies => return copies::open(model),
        Action::Exclude => {
            let effects = exclude_focused(model, &view);
            if !effects.is_empty() {
                return effects;
            }
        }
        Action::Pack => {
            if let Some(path) = path_in_focus(&view) {
                let behind = Some(Box::new(Overlay::Space(view)));
                return packing::open(model, packing::of_path(path), behind);
            }
        }
        Action::Add => {
            if let Some(draft) = pile_of(model, &view) {
                model.overlay = Some(Overlay::Place(Box::new(draft)));
                return Vec::new();
            }
        }
        Action::Export => {
            if let Some(space) = &view.space {
                let subject = Subject::Space(Arc::clone(space), view.folder, view.now);
                return export::space(model, subject);
            }
        }
        Action::Order => {
            view.list = match view.list {
                SpaceList::Here => SpaceList::Unused,
                SpaceList::Unused => SpaceList::Lying,
                SpaceList::Lying if view.knows_before() => SpaceList::Grown,
                SpaceList::Lying | SpaceList::Grown => SpaceList::Here,
            };
            view.focus = 0;
            view.arrange();
        }
        Action::Enter | Action::Into => walk_in(&mut view),
        Action::OutOf => walk_out(&mut view),
        _ => view.focus = moved(view.focus, view.rows.len(), action),
    }
    if let Some(weigh) = &mut model.weigh {
        weigh.space_folder = view.folder;
    }
    model.overlay = Some(Overlay::Space(view));
    Vec::new()
}

/// Goes into what is in focus; of a list of all to where it lies.
fn walk_in(view: &mut SpaceView) {
    let (Some(space), Some(part)) = (view.space.clone(), view.focused()) else {
        return;
    };
    match (view.list, part) {
        (SpaceList::Here, Part::Folder(folder)) => view.show(folder, None),
        (SpaceList::Here, Part::File(_)) => {}
        (SpaceList::Unused | SpaceList::Lying | SpaceList::Grown, part) => {
            if let Some(folder) = space.parent(part) {
                view.show(folder, Some(part));
            }
        }
    }
}

/// Goes out of the folder.
fn walk_out(view: &mut SpaceView) {
    let Some(space) = view.space.clone() else {
        return;
    };
    if let Some(above) = space.tree.parent(view.folder) {
        view.show(above, Some(Part::Folder(view.folder)));
    }
}

/// Goes to a part on a shelf: into its folder, or where it is in focus already into itself.
fn go_to(view: &mut SpaceView, part: Part) {
    let Some(space) = view.space.clone() else {
        return;
    };
    if part == Part::Folder(view.folder) {
        walk_out(view);
    } else if view.focused() == Some(part) && view.list == SpaceList::Here {
        walk_in(view);
    } else if let Some(folder) = space.parent(part) {
        view.show(folder, Some(part));
    }
}

/// Rows that one notch of the wheel moves.
const NOTCH: usize = 3;

/// A click on a shelf goes there, one on a row puts it in focus; the wheel scrolls.
pub(super) fn mouse(model: &mut Model, event: MouseEvent) {
    let size = model.size;
    let Some(Overlay::Space(view)) = &mut model.overlay else {
        return;
    };
    let last = view.rows.len().saturating_sub(1);
    match event.kind {
        MouseEventKind::ScrollUp => view.focus = view.focus.saturating_sub(NOTCH),
        MouseEventKind::ScrollDown => view.focus = (view.focus + NOTCH).min(last),
        MouseEventKind::Down(MouseButton::Left) => {
            let (column, row) = (usize::from(event.column), usize::from(event.row));
            match space_at(size, row) {
                Some(SpaceSpot::Level(level)) => {
                    let at = column.saturating_sub(1) as u64;
                    let is_there = |shelf: &&Shelf| {
                        shelf.level == level && (shelf.from..shelf.to).contains(&at)
                    };
                    let part = view.shelves.iter().find(is_there).map(|shelf| shelf.part);
                    if let Some(part) = part {
                        go_to(view, part);
                    }
                }
                Some(SpaceSpot::Row(row)) => {
                    let room = space_room(size, false);
                    let first = first_row(view.focus, view.rows.len(), room);
                    if first + row <= last {
                        view.focus = first + row;
                    }
                }
                None => {}
            }
        }
        _ => {}
    }
}

/// An exclusion of what is in focus.
fn exclude_focused(model: &mut Model, view: &SpaceView) -> Vec<Effect> {
    let (Some(space), Some(part)) = (&view.space, view.focused()) else {
        return Vec::new();
    };
    let word = match part {
        Part::Folder(_) => "this folder",
        Part::File(_) => "this file",
    };
    exclude::begin_with(model, word, Spares::path(space.path(part)))
}

/// Where what is in focus lies.
fn path_in_focus(view: &SpaceView) -> Option<TargetPath> {
    let (space, part) = (view.space.as_ref()?, view.focused()?);
    Some(space.path(part))
}

/// A pile of what is in focus: a folder with what lies in it, of a file the one that it lies in.
fn pile_of(model: &mut Model, view: &SpaceView) -> Option<PlaceDraft> {
    let (space, part) = (view.space.as_ref()?, view.focused()?);
    let folder = match part {
        Part::Folder(folder) => folder,
        Part::File(file) => space.tree.folder_of(file),
    };
    let path = space.path(Part::Folder(folder));
    let Ok(typed) = std::str::from_utf8(path.as_bytes()) else {
        model.message = Some("Its name is no text, so it can't be written into a rule.".to_owned());
        return None;
    };
    let mut draft = PlaceDraft::new();
    draft.folder = Input::new(typed.to_owned());
    Some(draft)
}

/// What a row is called.
pub(super) fn holds(view: &SpaceView, at: usize) -> String {
    let row = view.rows.get(at).copied();
    row.map_or_else(String::new, |row| view.name_of(row))
}
