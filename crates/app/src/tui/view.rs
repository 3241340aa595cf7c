//! Drawing: the four bands of every screen. It reads the model and computes nothing of the job.

mod arrive;
mod belongs;
mod check;
mod copies;
mod decided;
mod dustpan;
mod exclude;
mod exclusions;
mod export;
mod keyline;
mod languages;
mod mast;
mod overlay;
mod packing;
mod pieces;
mod place;
mod programs;
mod report;
mod rulebooks;
mod runs;
mod scan;
mod sites;
mod space;
mod starts;
mod startup;
mod strip;
mod sweep;
mod uninstall;
mod upkeep;
mod weigh;
mod wipe;

use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::Line;
use ratatui::widgets::{Block, Clear, Paragraph};

use crate::tui::areas::{Areas, areas};
use crate::tui::draw::cut_line;
use crate::tui::model::{Model, Overlay, Station, is_too_small};
use crate::tui::theme::{Role, Theme};

/// Draws one frame.
pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>) {
    let area = frame.area();
    frame.render_widget(Block::new().style(theme.ground()), area);
    if is_too_small((area.width, area.height)) {
        let text = format!(
            "Jolly Broom needs 80 × 24 cells; this terminal has {} × {}.",
            area.width, area.height
        );
        let keys = if model.station == Station::Sweep {
            "The sweep goes on; ctrl-c stops it. No other key counts here."
        } else {
            "Make it larger, or leave with q: no other key counts here."
        };
        let lines = vec![Line::from(text), Line::from(keys)];
        let wrapped = Paragraph::new(lines).wrap(ratatui::widgets::Wrap { trim: true });
        frame.render_widget(wrapped.style(theme.ground()), area);
        return;
    }
    let Areas {
        mast,
        strip,
        work,
        message,
        keys,
    } = areas(area);
    mast::draw(model, theme, frame, mast);
    strip::draw(model, theme, frame, strip);
    match model.station {
        Station::Arrive => arrive::draw(model, theme, frame, work),
        Station::Scan => scan::draw(model, theme, frame, work),
        Station::Weigh => weigh::draw(model, theme, frame, work),
        Station::Check => check::draw(model, theme, frame, work),
        Station::Sweep => sweep::draw(model, theme, frame, work),
        Station::Report => report::draw(model, theme, frame, work),
    }
    let hint = (!model.done.has(model.station)).then(|| model.station.hint());
    let told = match (&model.message, &model.pointed, hint) {
        (Some(text), _, _) => Some((text.as_str(), Role::Straw)),
        (None, Some(text), _) => Some((text.as_str(), Role::Text)),
        (None, None, Some(hint)) => Some((hint, Role::Text)),
        (None, None, None) => None,
    };
    if let Some((text, role)) = told {
        let line = Line::styled(format!(" {text}"), theme.style(role));
        frame.render_widget(Paragraph::new(line), message);
    }
    keyline::draw(model, model.station_context(), theme, frame, keys);
    let below = Rect {
        y: work.y,
        height: area.bottom() - work.y,
        ..area
    };
    if let Some(overlay) = &model.overlay {
        before_station(model, overlay, theme, frame, (area, below));
    }
    if theme.is_plain() {
        spell_out(frame);
    }
}

/// Signs that words are joined and cut with, as letters that every terminal has.
const PLAIN: [(&str, &str); 4] = [("…", "~"), ("·", "-"), ("→", ">"), ("×", "x")];

/// Writes signs as letters; names of files keep what they are made of.
fn spell_out(frame: &mut Frame<'_>) {
    for cell in &mut frame.buffer_mut().content {
        let plain = PLAIN.iter().find(|(sign, _)| *sign == cell.symbol());
        if let Some((_, letters)) = plain {
            cell.set_symbol(letters);
        }
    }
}

/// Draws what stands before the station: over all of it, or over its work.
fn before_station(
    model: &Model,
    overlay: &Overlay,
    theme: &Theme,
    frame: &mut Frame<'_>,
    (area, below): (Rect, Rect),
) {
    match overlay {
        Overlay::Rulebooks(view) => rulebooks::draw(model, view, theme, frame, below),
        Overlay::Exclusions(view) => exclusions::draw(model, view, theme, frame, below),
        Overlay::Sites(view) => sites::draw(model, view, theme, frame, below),
        Overlay::Copies(view) => copies::draw(model, view, theme, frame, below),
        Overlay::Space(view) => space::draw(model, view, theme, frame, below),
        Overlay::Programs(view) => programs::draw(model, view, theme, frame, below),
        Overlay::Uninstall(view) => uninstall::draw(model, view, theme, frame, below),
        Overlay::Dustpan(view) => dustpan::draw(model, view, theme, frame, below),
        Overlay::Runs(view) => runs::draw(model, view, theme, frame, below),
        Overlay::Startup(view) => startup::draw(model, view, theme, frame, below),
        Overlay::Decided(focus) => decided::draw(model, *focus, theme, frame, below),
        Overlay::Starts(view) => starts::draw(model, view, theme, frame, below),
        Overlay::Exclude(draft) => exclude::draw(model, draft, theme, frame, area),
        Overlay::Belongs(draft) => {
            programs::draw(model, &draft.lens, theme, frame, below);
            belongs::draw(draft, theme, frame, area);
        }
        Overlay::Place(draft) => place::draw(draft, theme, frame, area),
        Overlay::Export(view) => export::draw(view, theme, frame, area),
        Overlay::Packing(view) => {
            if let Some(behind) = &view.behind {
                before_station(model, behind, theme, frame, (area, below));
            }
            packing::draw(view, theme, frame, area);
        }
        Overlay::Wipe(view) => wipe::draw(view, theme, frame, area),
        Overlay::Languages(view) => languages::draw(model, view, theme, frame, below),
        Overlay::Pieces(found) => pieces::draw(found, theme, frame, area),
        Overlay::Upkeep(view) => upkeep::draw(model, view, theme, frame, area),
        Overlay::Help(from, behind) => {
            if let Some(behind) = behind {
                before_station(model, behind, theme, frame, (area, below));
            }
            let context = Overlay::context_of_help(behind.as_deref(), model);
            overlay::help(context, *from, theme, frame, area);
        }
        Overlay::Find(_, Some(behind)) => {
            before_station(model, behind, theme, frame, (area, below));
            overlay::draw(model, overlay, theme, frame, area);
        }
        Overlay::ExactAge(..) | Overlay::Find(..) | Overlay::Open(..) | Overlay::Save(..) => {
            overlay::draw(model, overlay, theme, frame, area);
        }
    }
}

/// The page of a view that stands before a station: its rows, a line of words, its keys.
fn page(theme: &Theme, frame: &mut Frame<'_>, area: Rect) -> [Rect; 3] {
    frame.render_widget(Clear, area);
    frame.render_widget(Block::new().style(theme.ground()), area);
    Layout::vertical([
        Constraint::Min(5),
        Constraint::Length(2),
        Constraint::Length(1),
    ])
    .areas(area)
}

/// The whole row in focus stands out, to the edge.
fn raise<'a>(theme: &Theme, mut line: Line<'a>, width: u16) -> Line<'a> {
    let missing = usize::from(width).saturating_sub(line.width());
    line.spans.push(" ".repeat(missing).into());
    for span in &mut line.spans {
        span.style = theme.raised().patch(span.style);
    }
    line
}

/// The left edge of a row.
fn edge(theme: &Theme, is_focus: bool) -> &'static str {
    if is_focus { theme.glyphs.focus } else { " " }
}

/// Draws lines from the top of an area; what doesn't fit is left out, and `…` says so.
fn lines(frame: &mut Frame<'_>, area: Rect, mut lines: Vec<Line<'_>>) {
    for line in &mut lines {
        cut_line(line, usize::from(area.width));
    }
    frame.render_widget(Paragraph::new(lines), area);
}
