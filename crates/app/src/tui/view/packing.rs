//! Something that is packed or rescued: what it would come to, how far it is, what came of it.

use jolly_core::decide::PileState;
use jolly_core::format::Printable;
use jolly_core::packing::HomeSum;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::draw::{Pieces, cut, left, right, wrap};
use crate::tui::model::{PackStage, PackSubject, PackingView};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::edge;
use crate::tui::view::keyline::add_hints;
use crate::tui::view::overlay::{asking, raised};
use crate::wording::{bytes, counted, since};

/// Columns of the patch, and of the text in it.
const WIDE: u16 = 96;
const TEXT: usize = 88;

/// Columns of a folder's name.
const NAME: usize = 34;

/// Rows of the patch that aren't folders.
const AROUND: u16 = 15;

pub(super) fn draw(view: &PackingView, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let width = usize::from(area.width.saturating_sub(6)).min(TEXT);
    let title = match &view.subject {
        PackSubject::Pack(path) => format!("Pack {path} beside itself"),
        PackSubject::Unpack(path) => format!("Take out of {path} what it holds"),
        PackSubject::Rescue(account) => format!("Rescue what {account} kept"),
    };
    let mut all = vec![
        Line::styled(cut(&title, width), theme.bold(Role::Straw)),
        Line::default(),
    ];
    let hints = stage(view, theme, &mut all, (width, area.height));
    all.push(Line::default());
    let mut keys = Pieces::default();
    add_hints(theme, &mut keys, &hints);
    all.push(keys.line());
    raised(theme, frame, area, WIDE, all);
}

/// What is said of how far it is, and the keys that count then.
fn stage(
    view: &PackingView,
    theme: &Theme,
    all: &mut Vec<Line<'static>>,
    (width, height): (usize, u16),
) -> Vec<(&'static str, &'static str)> {
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let mut told = |says: &str, role: Role| {
        let lines = wrap(says, width).into_iter();
        all.extend(lines.map(|line| Line::styled(line, theme.style(role))));
    };
    match &view.stage {
        PackStage::Looking => {
            told("It is being looked at…", Role::Quiet);
            vec![("esc", "leave it")]
        }
        PackStage::Offered => match view.subject {
            PackSubject::Pack(_) => {
                told(&offer(view), Role::Text);
                vec![("enter", "pack it"), ("esc", "leave it")]
            }
            PackSubject::Unpack(_) => {
                told(&offer(view), Role::Text);
                vec![("enter", "take it out"), ("esc", "leave it")]
            }
            PackSubject::Rescue(_) => {
                home(view, theme, all, usize::from(height.saturating_sub(AROUND)));
                all.push(Line::default());
                all.push(asking(theme, "into the folder", &view.to));
                let choose = ("tab", "choose or leave");
                vec![
                    ("enter", "rescue"),
                    ("↑ ↓", "folders"),
                    choose,
                    ("esc", "leave it"),
                ]
            }
        },
        PackStage::UnderWay(moved) => {
            let far = match view.gain {
                Some(gain) => format!("{} of {} read", bytes(*moved), bytes(gain.size)),
                None => format!("{} read", bytes(*moved)),
            };
            let state = if view.cancel.is_cancelled() {
                "It is being stopped; what is half done is taken back."
            } else {
                "It is under way: packed, read back, compared."
            };
            all.push(Line::styled(state, text));
            all.push(Line::styled(far, quiet));
            vec![("esc", "stop")]
        }
        PackStage::Done(lines) => {
            for line in lines {
                told(line, Role::Text);
            }
            vec![("enter", "close")]
        }
        PackStage::Failed(why) => {
            told(why, Role::Ask);
            vec![("enter", "close")]
        }
    }
}

fn offer(view: &PackingView) -> String {
    match (&view.subject, view.gain) {
        (PackSubject::Pack(path), Some(gain)) => {
            let (held, packed) = (bytes(gain.held), bytes(gain.packed));
            let name = Printable(path.name());
            format!(
                "{held} become about {packed}, as {name}.tar.zst in the same folder; any tar opens it. \
                 What lies there goes once the archive was read back and compared with it. \
                 Programs no longer find it under its name until it is taken out again."
            )
        }
        _ => "It comes out exactly as it was packed, is compared with the archive, and that goes."
            .to_owned(),
    }
}

/// What is in a home: by sort, then what lies right in it, to choose from.
fn home(view: &PackingView, theme: &Theme, all: &mut Vec<Line<'static>>, room: usize) {
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let sorts = view.contents.sorts.iter().take(5);
    let sorts: Vec<String> = sorts
        .map(|(sort, sum)| format!("{} {}", bytes(sum.bytes), sort.plural()))
        .collect();
    for line in wrap(&sorts.join(", "), TEXT) {
        all.push(Line::styled(line, text));
    }
    let guarded = view.contents.guarded.iter().take(4);
    let guarded: Vec<String> = guarded
        .map(|path| Printable(path.name()).to_string())
        .collect();
    if !guarded.is_empty() {
        let line = format!("keys, passwords or mail: {}", guarded.join(", "));
        all.push(Line::styled(cut(&line, TEXT), theme.style(Role::Ask)));
    }
    all.push(Line::default());
    let room = room.max(3);
    let from = view.focus.saturating_sub(room.saturating_sub(1));
    let folders = view.contents.folders.iter().zip(&view.chosen).enumerate();
    for (at, ((path, sum), is_chosen)) in folders.skip(from).take(room) {
        let mut line = Pieces::default();
        let state = if *is_chosen {
            PileState::Taken
        } else {
            PileState::Left
        };
        line.add(edge(theme, at == view.focus), theme.style(Role::Straw));
        let mark = format!("{} ", theme.state_glyph(state));
        line.add(mark, theme.style(Role::Straw));
        let style = if *is_chosen { text } else { quiet };
        let name = Printable(path.name()).to_string();
        line.add(left(&cut(&name, NAME), NAME), style);
        line.add(right(&bytes(sum.bytes), 10), style);
        line.add(figures(*sum, view.now), quiet);
        all.push(line.line());
    }
    let (files, held) = view.chosen_sum();
    let line = format!("chosen: {}, {}", counted(files, "file"), bytes(held));
    all.push(Line::styled(line, text));
}

fn figures(sum: HomeSum, now: i64) -> String {
    format!(
        "  {:<14} last {}",
        counted(sum.files, "file"),
        since(sum.changed, now)
    )
}
