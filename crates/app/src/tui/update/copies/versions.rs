//! Saying which versions of recordings and pictures go.

use std::collections::HashSet;
use std::sync::Arc;

use jolly_core::survey::{ChosenCopy, CopyNews, Versions};

use crate::tui::model::{CopiesView, CopyList, Model};
use crate::tui::msg::{Effect, Question, SpaceQuestion};
use crate::tui::update::copies::view_of;
use crate::wording::counted;

/// Goes on to the next list; versions are looked for when they are listed first.
pub(super) fn next_list(model: &mut Model, view: &mut CopiesView) -> Vec<Effect> {
    let Some(known) = &view.known else {
        return Vec::new();
    };
    view.list = match view.list {
        CopyList::Same => CopyList::Recordings,
        CopyList::Recordings => CopyList::Pictures,
        CopyList::Pictures => CopyList::Same,
    };
    view.focus = 0;
    // The rows of one list are none of another's.
    view.opened.clear();
    let is_known = view.versions.is_some() || view.list == CopyList::Same;
    let effects = match &model.weigh {
        // On from one to the other it is under way.
        Some(weigh) if !is_known && view.list == CopyList::Recordings => {
            view.news = CopyNews::default();
            let (scan, space) = (Arc::clone(&weigh.scan), Arc::clone(&known.space));
            let asked = SpaceQuestion::Versions(space);
            vec![Effect::Question(Question::Space(scan, asked))]
        }
        _ => Vec::new(),
    };
    view.arrange();
    effects
}

/// The versions that a scan was told to take.
pub(super) fn of_scan(chosen: &[ChosenCopy]) -> impl Iterator<Item = &ChosenCopy> {
    chosen.iter().filter(|one| one.as_read.is_some())
}

/// Takes in what was found; nothing when that broke off.
pub(in crate::tui::update) fn found(model: &mut Model, found: Option<Arc<Versions>>) {
    let Some(found) = found else {
        model.message = Some("Other versions could not be looked for.".to_owned());
        return;
    };
    let Some(weigh) = &mut model.weigh else {
        return;
    };
    weigh.versions = Some(Arc::clone(&found));
    let goes: HashSet<_> = of_scan(&weigh.scan.copies).map(|one| &one.goes).collect();
    if let Some(space) = weigh.space.as_ref().filter(|_| !goes.is_empty()) {
        let groups = found.recordings.iter().chain(&found.pictures);
        let files = groups.flat_map(|group| &group.versions).map(|one| one.file);
        let own = files.filter(|file| goes.contains(&space.tree.file_path(*file)));
        weigh.copies_said.versions = own.collect();
    }
    let versions = weigh.copies_said.versions.clone();
    if let Some(view) = view_of(model) {
        view.said.versions = versions;
        view.versions = Some(found);
        view.arrange();
        view.sum_up();
    }
}

/// Says that all but the best of a group go, where one surely is; or that all stay.
pub(super) fn turn_group(view: &mut CopiesView, group: usize) -> String {
    let Some(all) = view.groups().get(group) else {
        return String::new();
    };
    let files: Vec<_> = all.versions.iter().map(|version| version.file).collect();
    let goes_any = files.iter().any(|file| view.said.versions.contains(file));
    if !goes_any && !all.is_first_better {
        let why = match view.list {
            CopyList::Pictures => "Of pictures nothing is suggested",
            _ => "None is surely the better one",
        };
        return format!("{why}: enter shows them, and space on one says that it goes.");
    }
    view.before.push(view.said.clone());
    let text = if goes_any {
        for file in &files {
            view.said.versions.remove(file);
        }
        "All versions stay.".to_owned()
    } else {
        let others = files.iter().skip(1);
        view.said.versions.extend(others);
        let many = counted(files.len().saturating_sub(1) as u64, "version");
        format!("{many} will go; the best one stays.")
    };
    view.sum_up();
    text
}

/// Says that one version goes, or stays; of each group one always stays.
pub(super) fn turn(view: &mut CopiesView, group: usize, at: usize) -> String {
    let (Some(all), Some(version)) = (view.groups().get(group), view.version(group, at)) else {
        return String::new();
    };
    let (file, files) = (version.file, all.versions.iter().map(|one| one.file));
    let left = files
        .filter(|one| !view.said.versions.contains(one))
        .count();
    let goes = !view.said.versions.contains(&file);
    if goes && left < 2 {
        return "One version stays, whatever is chosen.".to_owned();
    }
    view.before.push(view.said.clone());
    let text = if goes {
        view.said.versions.insert(file);
        "It will go; another version of it stays."
    } else {
        view.said.versions.remove(&file);
        "It stays."
    };
    view.sum_up();
    text.to_owned()
}
