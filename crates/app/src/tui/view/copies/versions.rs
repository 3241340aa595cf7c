//! The lists of recordings and pictures that are there in several versions.

use jolly_core::survey::{Version, VersionFacts};
use ratatui::text::Line;

use crate::tui::draw::{Pieces, cut, cut_front, left, right};
use crate::tui::model::{CopiesView, CopyList, KnownCopies};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::copies::{FILES, SIZE};
use crate::wording::{bytes, count, counted};

/// Columns of what a version is.
const FORM: usize = 27;

pub(super) fn title(theme: &Theme, view: &CopiesView) -> Line<'static> {
    let (name, one) = match view.list {
        CopyList::Pictures => (" The same picture in two sizes", "picture"),
        _ => (" The same recording in two qualities", "recording"),
    };
    let mut line = Pieces::default();
    line.add(name, theme.bold(Role::Straw));
    if view.versions.is_some() {
        let says = format!(
            "   {} in several versions   {} beside the first of each",
            counted(view.groups().len() as u64, one),
            bytes(view.spare)
        );
        line.add(says, theme.style(Role::Quiet));
    }
    line.line()
}

/// Columns of what a group is called.
fn names(width: usize) -> usize {
    width.saturating_sub(6 + SIZE + FILES + 2 * FORM + 2)
}

pub(super) fn heading(theme: &Theme, view: &CopiesView, width: usize) -> Line<'static> {
    let quiet = theme.style(Role::Quiet);
    let (name, ends) = match view.list {
        CopyList::Pictures => ("taken when, with what", ["the largest", "the smallest"]),
        _ => ("title, who plays", ["the first", "the last"]),
    };
    let [first, last] = ends;
    let mut line = Pieces::default();
    line.add(right("the others", SIZE + 3), quiet);
    line.add(right("versions", FILES + 1), quiet);
    line.add("  ", quiet);
    line.add(left(name, names(width)), quiet);
    // Above the words, not the mark before them.
    line.add(format!("  {}", left(first, FORM)), quiet);
    line.add(last, quiet);
    line.line()
}

pub(super) fn of_group(
    theme: &Theme,
    line: &mut Pieces<'_>,
    view: &CopiesView,
    at: usize,
    width: usize,
) {
    let Some(group) = view.groups().get(at) else {
        return;
    };
    let text = theme.style(Role::Text);
    line.add(right(&bytes(group.spare()), SIZE), text);
    line.add(right(&count(group.versions.len() as u64), FILES + 1), text);
    line.add("  ", text);
    let name = cut(&view.name_of_versions(at), names(width).saturating_sub(1));
    line.add(left(&name, names(width)), text);
    for version in [group.versions.first(), group.versions.last()]
        .into_iter()
        .flatten()
    {
        one(theme, line, view, version);
    }
}

/// What a version is, and whether it goes.
fn one(theme: &Theme, line: &mut Pieces<'_>, view: &CopiesView, version: &Version) {
    let goes = view.said.versions.contains(&version.file);
    let role = if goes { Role::Straw } else { Role::Text };
    let mark = if goes {
        format!("{} ", theme.glyphs.swept)
    } else {
        "  ".to_owned()
    };
    let says = format!("{mark}{}", form(version));
    line.add(left(&cut(&says, FORM - 1), FORM), theme.style(role));
}

pub(super) fn of_version(
    theme: &Theme,
    line: &mut Pieces<'_>,
    (view, version): (&CopiesView, &Version),
    place: &str,
    width: usize,
) {
    line.add("  ", theme.style(Role::Quiet));
    line.add(right(&bytes(version.size), SIZE), theme.style(Role::Text));
    line.add("  ", theme.style(Role::Quiet));
    one(theme, line, view, version);
    let room = width.saturating_sub(6 + SIZE + FORM);
    line.add(cut_front(place, room), theme.style(Role::Quiet));
}

/// What a version is, in a few words.
fn form(version: &Version) -> String {
    match &version.facts {
        VersionFacts::Recording(of) if of.is_cut_off => format!("{}, cut off", of.format),
        VersionFacts::Recording(of) if of.is_lossless => format!("{}, lossless", of.format),
        VersionFacts::Recording(of) => match of.kbps {
            Some(kbps) => format!("{} {kbps} kbit/s", of.format),
            None => of.format.to_owned(),
        },
        VersionFacts::Picture(of) => {
            let (wide, high) = of.points;
            format!("{} × {}", count(wide.into()), count(high.into()))
        }
    }
}

/// What is in focus, in sentences.
pub(super) fn card(
    theme: &Theme,
    (view, known): (&CopiesView, &KnownCopies),
    (group, at): (usize, Option<usize>),
    width: usize,
) -> Vec<Line<'static>> {
    let Some(all) = view.groups().get(group) else {
        return Vec::new();
    };
    let shown = at.and_then(|at| all.versions.get(at));
    let Some(version) = shown.or_else(|| all.versions.first()) else {
        return Vec::new();
    };
    let place = known.file(version.file);
    let facts = match &version.facts {
        VersionFacts::Recording(of) => {
            let (rate, bits) = of.samples;
            let bits = bits.map_or_else(String::new, |bits| format!(" at {bits} bits"));
            format!(
                " {}, {}:{:02}, {} samples a second{bits}, {}; {}",
                form(version),
                of.millis / 60_000,
                of.millis / 1_000 % 60,
                count(rate.into()),
                counted(of.tags.into(), "tag"),
                bytes(version.size),
            )
        }
        VersionFacts::Picture(of) => format!(
            " {} points, taken {} with {}; {}",
            form(version),
            of.taken,
            of.camera,
            bytes(version.size),
        ),
    };
    let last = match (view.list, all.is_first_better) {
        (CopyList::Pictures, _) => {
            " Of pictures nothing is suggested: a small one may be the one that was worked on."
        }
        (_, true) => " The first surely is the better one; space lets the others go.",
        (_, false) => " None of them surely is the better one.",
    };
    vec![
        Line::styled(cut(&format!(" {place}"), width), theme.style(Role::Text)),
        Line::styled(cut(&facts, width), theme.style(Role::Text)),
        Line::styled(cut(last, width), theme.style(Role::Quiet)),
    ]
}
