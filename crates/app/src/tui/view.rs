//! Drawing: the four bands of every screen. It reads the model and computes nothing of the job.

mod arrive;
mod check;
mod keyline;
mod mast;
mod overlay;
mod report;
mod rulebooks;
mod scan;
mod strip;
mod sweep;
mod weigh;

use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::Line;
use ratatui::widgets::{Block, Paragraph};

use crate::tui::model::{Model, Overlay, Station};
use crate::tui::theme::{Role, Theme};

/// The least that the screens are drawn for.
const LEAST: (u16, u16) = (80, 24);

/// Draws one frame.
pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>) {
    let area = frame.area();
    frame.render_widget(Block::new().style(theme.ground()), area);
    if area.width < LEAST.0 || area.height < LEAST.1 {
        let text = format!(
            "Jolly Broom needs 80 × 24 cells; this terminal has {} × {}.",
            area.width, area.height
        );
        let lines = vec![
            Line::from(text),
            Line::from("Make it larger, or use `jolly-broom scan`."),
        ];
        let wrapped = Paragraph::new(lines).wrap(ratatui::widgets::Wrap { trim: true });
        frame.render_widget(wrapped.style(theme.ground()), area);
        return;
    }
    let [mast, strip, _, work, message, keys] = Layout::vertical([
        Constraint::Length(1),
        Constraint::Length(2),
        Constraint::Length(1),
        Constraint::Min(10),
        Constraint::Length(1),
        Constraint::Length(1),
    ])
    .areas(area);
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
    if let Some(text) = &model.message {
        let line = Line::styled(format!(" {text}"), theme.style(Role::Straw));
        frame.render_widget(Paragraph::new(line), message);
    }
    keyline::draw(model, theme, frame, keys);
    match &model.overlay {
        Some(Overlay::Rulebooks(view)) => {
            let below = Rect {
                y: work.y,
                height: area.bottom() - work.y,
                ..area
            };
            rulebooks::draw(model, view, theme, frame, below);
        }
        _ => overlay::draw(model, theme, frame, area),
    }
}

/// Draws lines from the top of an area; what doesn't fit is left out.
fn lines(frame: &mut Frame<'_>, area: Rect, lines: Vec<Line<'_>>) {
    frame.render_widget(Paragraph::new(lines), area);
}
