//! The arrive station: the computers on the bench, and what the one in focus is.

mod visits;

use jolly_core::computer::{Account, Volume};
use jolly_core::host::UnmountedVolume;
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::Line;
use unicode_width::UnicodeWidthStr as _;

use crate::tui::draw::{Pieces, VolumeParts, cut, cut_front, left, volume_bar, wrap};
use crate::tui::lookups::shown;
use crate::tui::model::{Arrived, Computer, Look, Model, Origin};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::lines;
use crate::wording::{age, bytes, counted, sign};

/// Lines of one computer's block, the gap below it included; one more for what is being scanned.
const BLOCK: usize = 5;

/// A change of a volume that is worth a word, in bytes.
const WORTH_SAYING: u64 = 1 << 20;

/// A lower screen has room for signs and little else.
const LOW: u16 = 30;

/// Columns of what a fact is about.
const ABOUT: usize = 13;

pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let share = (area.width * 2 / 5).clamp(34, 64);
    let [bench, _, about] = if theme.is_spoken() {
        // What is read aloud stands one below the other.
        let computers = u16::try_from(model.bench.computers.len() * BLOCK).unwrap_or(area.height);
        Layout::vertical([
            Constraint::Length(computers.clamp(3, area.height / 2)),
            Constraint::Length(1),
            Constraint::Min(3),
        ])
        .areas(area)
    } else {
        Layout::horizontal([
            Constraint::Length(share),
            Constraint::Length(3),
            Constraint::Min(30),
        ])
        .areas(area)
    };
    draw_bench(model, theme, frame, bench);
    let focused = model.bench.focused();
    let all = match focused.map(|computer| &computer.look) {
        Some(Look::Done(arrived)) => facts(model, theme, arrived, about),
        Some(Look::Failed(why)) => failed(theme, why, usize::from(about.width)),
        Some(Look::UnderWay) | None => {
            vec![Line::styled("Looking…", theme.style(Role::Quiet))]
        }
    };
    lines(frame, about, all);
}

fn draw_bench(model: &Model, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let bench = &model.bench;
    let width = usize::from(area.width);
    let mut all = Vec::new();
    if bench.computers.is_empty() {
        let text = " Looking what is on the bench…";
        all.push(Line::styled(text, theme.style(Role::Quiet)));
    }
    let room = (usize::from(area.height) / BLOCK).max(1);
    let skip = (bench.focus + 1).saturating_sub(room);
    for (at, computer) in bench.computers.iter().enumerate().skip(skip).take(room) {
        all.extend(block(theme, computer, at == bench.focus, width));
        all.extend(scanned(model, theme, computer, width));
        all.push(Line::default());
    }
    let below = usize::from(area.height).saturating_sub(all.len());
    all.extend(
        unmounted(theme, &bench.unmounted, width)
            .into_iter()
            .take(below),
    );
    lines(frame, area, all);
}

/// How far the scan of the chosen computer is, below its block.
fn scanned(
    model: &Model,
    theme: &Theme,
    computer: &Computer,
    width: usize,
) -> Option<Line<'static>> {
    let session = model.session.as_ref()?;
    if session.target.root_path() != computer.root || model.job == 0 {
        return None;
    }
    let (_, found) = model.scanning.sums();
    let (words, role) = match (model.scanning.took, &model.weigh) {
        (None, _) => (
            format!("scanning, {} found: enter follows", bytes(found)),
            Role::Straw,
        ),
        (Some(_), Some(weigh)) => {
            let takes = weigh.decisions.takes_in_all().bytes;
            let words = format!("enter weighs it: {} to sweep", bytes(takes));
            (words, Role::Straw)
        }
        (Some(_), None) => return None,
    };
    let mut line = Pieces::default();
    line.add("  ", theme.style(Role::Quiet));
    line.add(cut(&words, width.saturating_sub(3)), theme.style(role));
    Some(line.line())
}

/// The volumes that aren't mounted, and how one is.
fn unmounted(theme: &Theme, volumes: &[UnmountedVolume], width: usize) -> Vec<Line<'static>> {
    let quiet = theme.style(Role::Quiet);
    let Some(first) = volumes.first() else {
        return Vec::new();
    };
    let mut all = vec![Line::styled("  not mounted", quiet)];
    for volume in volumes {
        let holds = if volume.holds.is_empty() {
            String::new()
        } else {
            format!(", {}", volume.holds)
        };
        let words = format!(
            "  {}  {}, {}{holds}",
            volume.device,
            bytes(volume.size),
            volume.kind.words()
        );
        let words = cut(&words, width.saturating_sub(1));
        all.push(Line::styled(words, theme.style(Role::Text)));
    }
    let how = format!("  mount /dev/{} /mnt, then l looks again", first.device);
    all.push(Line::styled(cut(&how, width.saturating_sub(1)), quiet));
    all
}

/// One computer: its name and layout, how it came here, its volume.
fn block(theme: &Theme, computer: &Computer, is_focus: bool, width: usize) -> Vec<Line<'static>> {
    let edge = if is_focus { theme.glyphs.focus } else { " " };
    let quiet = theme.style(Role::Quiet);
    let begin = || {
        let mut line = Pieces::default();
        line.add(format!("{edge} "), theme.style(Role::Straw));
        line
    };
    let arrived = computer.arrived();
    let (name, layout) = match arrived {
        Some(arrived) => {
            let target = &arrived.session.target;
            (target.label.clone(), target.layout.name())
        }
        None => (shown(&computer.root), ""),
    };
    let mut first = begin();
    let role = if is_focus {
        theme.bold(Role::Text)
    } else {
        theme.style(Role::Text)
    };
    let kind = arrived.and_then(|arrived| arrived.arrival.kind);
    let kind = kind.map_or_else(
        || layout.to_owned(),
        |kind| format!("{layout}, {}", kind.words()),
    );
    let room = width.saturating_sub(3);
    let kind = cut(&kind, room.saturating_sub(name.width() + 1));
    first.add(left(&name, room.saturating_sub(kind.width())), role);
    first.add(kind, quiet);
    let mut second = begin();
    let room = width.saturating_sub(3);
    let place = place_of(computer, room);
    second.add(cut(&place, room), quiet);
    let mut third = begin();
    let mut fourth = begin();
    match (&computer.look, arrived.and_then(|it| it.arrival.volume)) {
        (Look::UnderWay, _) => {
            third.add("looking…", quiet);
        }
        (Look::Failed(why), _) => {
            third.add(cut(why, width.saturating_sub(3)), theme.style(Role::Ask));
        }
        (Look::Done(_), None) => {
            third.add("its space can't be measured", quiet);
        }
        (Look::Done(arrived), Some(volume)) => {
            volume_bar(
                theme,
                &mut third,
                VolumeParts {
                    kept: volume.used,
                    swept: 0,
                    free: volume.free,
                    reserved: volume.reserved(),
                },
                width.saturating_sub(4),
            );
            let text = format!("{} of {}", bytes(volume.used), bytes(volume.size));
            fourth.add(text, theme.style(Role::Text));
            let room = width.saturating_sub(fourth.width() + 1);
            fourth.add(cut(&visited(arrived, &volume), room), quiet);
        }
    }
    vec![first.line(), second.line(), third.line(), fourth.line()]
}

/// How a computer came onto the bench, and where it is.
fn place_of(computer: &Computer, room: usize) -> String {
    let words = computer.origin.words();
    if computer.origin == Origin::This {
        return words.to_owned();
    }
    let path = cut_front(&shown(&computer.root), room.saturating_sub(words.len() + 1));
    format!("{words} {path}")
}

/// When it was here last, and what its volume has gained since.
fn visited(arrived: &Arrived, volume: &Volume) -> String {
    let Some(visit) = arrived.sheet().and_then(|sheet| sheet.last_visit()) else {
        return "   not here before".to_owned();
    };
    let passed = arrived.now - visit.started.as_second();
    let passed = match u64::try_from(passed).unwrap_or(0) {
        0..86_400 => "today".to_owned(),
        passed => format!("{} ago", age(passed)),
    };
    // What its volume held when it went, where that is known; what the file system keeps for itself counts at both times.
    let (held, used) = match visit.size {
        0 => (visit.used, volume.used),
        size => (
            size.saturating_sub(visit.free_after()),
            volume.size.saturating_sub(volume.free),
        ),
    };
    let change = match (used.checked_sub(held), held.checked_sub(used)) {
        (Some(more), _) if more >= WORTH_SAYING => format!(", {} more", bytes(more)),
        (_, Some(less)) if less >= WORTH_SAYING => format!(", {} less", bytes(less)),
        _ => String::new(),
    };
    format!("   here {passed}{change}")
}

fn failed(theme: &Theme, why: &str, width: usize) -> Vec<Line<'static>> {
    let mut all = vec![
        Line::styled("It can't be opened", theme.bold(Role::Ask)),
        Line::default(),
    ];
    for text in wrap(why, width.saturating_sub(2)) {
        all.push(Line::styled(text, theme.style(Role::Text)));
    }
    all.push(Line::default());
    let how = "l looks again, del takes it off the list.";
    all.push(Line::styled(how, theme.style(Role::Quiet)));
    all
}

/// What the last sweep left behind, and how to try it again.
fn left_over(theme: &Theme, arrived: &Arrived, width: usize) -> Vec<Line<'static>> {
    let Some(left) = &arrived.left else {
        return Vec::new();
    };
    let passed = arrived.now.saturating_sub(left.started.as_second());
    let passed = age(u64::try_from(passed).unwrap_or(0));
    let many = counted(left.paths.len() as u64, "item");
    let why = left.reasons.first().map(|(outcome, reason, _)| {
        let name = outcome.name();
        format!("{name}: {reason}")
    });
    let text = format!("The last sweep, {passed} ago, left {many}; t tries them again.");
    let mut all = vec![Line::styled(cut(&text, width), theme.style(Role::Straw))];
    let because = format!("  {}", why.unwrap_or_default());
    all.push(Line::styled(cut(&because, width), theme.style(Role::Quiet)));
    all.push(Line::default());
    all
}

/// What is known of a computer, and its signs.
fn facts(model: &Model, theme: &Theme, arrived: &Arrived, area: Rect) -> Vec<Line<'static>> {
    let width = usize::from(area.width).saturating_sub(1);
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let target = &arrived.session.target;
    let mut all = Vec::new();
    let mut fact = |about: &str, says: &str| {
        let mut line = Pieces::default();
        line.add(left(about, ABOUT), quiet);
        line.add(cut(says, width.saturating_sub(ABOUT)), text);
        all.push(line.line());
    };
    for known in &arrived.arrival.facts {
        fact(known.about, &known.says);
    }
    let now = arrived.now;
    let used = |account: &Account| match account.last_used {
        None => "last use not known".to_owned(),
        Some(time) => {
            let passed = u64::try_from(now.saturating_sub(time)).unwrap_or(0);
            match passed {
                0..86_400 => "used today".to_owned(),
                _ => format!("last used {} ago", age(passed)),
            }
        }
    };
    for (at, account) in target.accounts.iter().enumerate() {
        let about = if at == 0 { "accounts" } else { "" };
        fact(about, &format!("{:<10} {}", account.name, used(account)));
    }
    if target.accounts.is_empty() {
        fact("accounts", "none found: no home is on this volume");
    }
    let room = (width.saturating_sub(ABOUT), area.height >= LOW);
    for (about, says) in visits::lines(model, theme, arrived, room) {
        fact(about, &says);
    }
    all.push(Line::default());
    for note in &arrived.notes {
        all.push(Line::styled(cut(note, width), theme.style(Role::Ask)));
    }
    all.extend(left_over(theme, arrived, width));
    let signs = &arrived.arrival.signs;
    let heading = if signs.is_empty() {
        "No signs at first look"
    } else {
        "Signs, by what they give back"
    };
    all.push(Line::styled(heading, theme.bold(Role::Straw)));
    let locked = arrived.arrival.locked_places;
    let below = usize::from(locked > 0) * 2;
    let room = usize::from(area.height).saturating_sub(all.len() + below);
    // Without room for reasons the figures speak for themselves.
    let has_reasons = room >= signs.len() * 2;
    for (at, found) in signs.iter().enumerate() {
        let (says, because) = sign(found, target.layout);
        let mut line = Pieces::default();
        // Its key goes to the pile that deals with it.
        let key = if found.leads_on() && at < 9 {
            format!("{} ", at + 1)
        } else {
            format!("{} ", theme.glyphs.dot)
        };
        line.add(key, theme.style(Role::Straw));
        line.add(cut(&says, width.saturating_sub(2)), text);
        all.push(line.line());
        if has_reasons {
            all.push(Line::styled(cut(&format!("  {because}"), width), quiet));
        }
    }
    all.extend(locked_places(theme, locked, width));
    all
}

/// What only the administrator may sweep.
fn locked_places(theme: &Theme, locked: u64, width: usize) -> Vec<Line<'static>> {
    if locked == 0 {
        return Vec::new();
    }
    let places = counted(locked, "place");
    let verb = if locked == 1 { "needs" } else { "need" };
    let told = format!("{places} {verb} the administrator: run as root to sweep all of it.");
    let told = Line::styled(cut(&told, width), theme.style(Role::Ask));
    vec![Line::default(), told]
}
