//! What was decided, step by step, to walk back to.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::areas::first_row;
use crate::tui::draw::{Pieces, cut, right};
use crate::tui::model::{Context, Model};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::{edge, keyline, lines, page, raise};

pub(super) fn draw(model: &Model, focus: usize, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let [work, _, keys] = page(theme, frame, area);
    let Some(weigh) = &model.weigh else { return };
    let (steps, at) = weigh.decisions.steps();
    let title = " What was decided, the newest first";
    let mut all = vec![
        Line::styled(title, theme.bold(Role::Straw)),
        Line::default(),
    ];
    let room = usize::from(work.height).saturating_sub(4);
    // The newest stands at the top.
    let row_of = |step: usize| steps.len().saturating_sub(step + 1);
    let first = first_row(row_of(focus), steps.len(), room);
    for row in first..steps.len().min(first + room) {
        let step = row_of(row);
        let is_focus = step == focus;
        let mut line = Pieces::default();
        line.add(edge(theme, is_focus), theme.style(Role::Straw));
        line.add(right(&step.to_string(), 5), theme.style(Role::Faint));
        let what = steps.get(step).copied().unwrap_or_default();
        let what = if step == 0 {
            format!("the beginning: {what}")
        } else {
            what.to_owned()
        };
        let role = if step > at { Role::Quiet } else { Role::Text };
        let room = usize::from(work.width).saturating_sub(26);
        line.add(format!("  {}", cut(&what, room)), theme.style(role));
        let note = match step {
            step if step == at => "  we are here",
            step if step > at => "  undone",
            _ => "",
        };
        line.add(note, theme.style(Role::Straw));
        let line = line.line();
        all.push(if is_focus {
            raise(theme, line, work.width)
        } else {
            line
        });
    }
    lines(frame, work, all);
    keyline::draw(model, Context::Decided, theme, frame, keys);
}
