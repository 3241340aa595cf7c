//! All exclusions, with what each one spares now.

use jolly_core::decide::{Excluded, Scope};
use jolly_core::state::shown_name;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::areas::first_row;
use crate::tui::draw::{Pieces, cut, cut_front, left, right};
use crate::tui::model::{Context, ExclusionsView, Model};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::{edge, keyline, lines, page, raise};
use crate::wording::{bytes, count, counted};

/// Width of where an exclusion counts.
const SCOPE: usize = 15;
/// Width of a day.
const SINCE: usize = 12;
/// Width of a count of files.
const FILES: usize = 10;
/// Width of a size.
const SIZE: usize = 12;
/// Fewest columns of why.
const WHY: usize = 20;

/// Lines of the card.
const CARD: usize = 4;

/// What the view is, and how many there are.
fn title(theme: &Theme, all: &[Excluded]) -> Line<'static> {
    let mut line = Pieces::default();
    let words = " Exclusions: what is spared, whatever the age limits say";
    line.add(words, theme.bold(Role::Straw));
    let suspended = all.iter().filter(|one| one.exclusion.is_suspended).count();
    if !all.is_empty() {
        let off = match suspended {
            0 => String::new(),
            off => format!(", {off} of them suspended"),
        };
        let sums = format!("   {}{off}", counted(all.len() as u64, "exclusion"));
        line.add(sums, theme.style(Role::Quiet));
    }
    line.line()
}

pub(super) fn draw(
    model: &Model,
    view: &ExclusionsView,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let [work, message, keys] = page(theme, frame, area);
    let Some(weigh) = &model.weigh else { return };
    let all = weigh.decisions.exclusions();
    let width = usize::from(work.width);
    let columns = ExclusionColumns::fit(width);
    let quiet = theme.style(Role::Quiet);
    let mut rows = vec![title(theme, all), columns.heading(theme)];
    let room = usize::from(work.height).saturating_sub(CARD + 3);
    let first = first_row(view.focus, all.len(), room);
    for (at, one) in all.iter().enumerate().skip(first).take(room) {
        let is_focus = at == view.focus;
        let held = view.held.get(at).copied().unwrap_or_default();
        let line = columns.row(theme, one, held, is_focus);
        rows.push(if is_focus {
            raise(theme, line, work.width)
        } else {
            line
        });
    }
    if all.is_empty() {
        let text = "   Nothing is excluded. x on a pile, a folder or a file excludes it, and it stands here then.";
        rows.push(Line::styled(text, quiet));
    }
    rows.push(Line::default());
    if let Some(one) = all.get(view.focus) {
        rows.extend(card(model, theme, one, width));
    }
    lines(frame, work, rows);
    if let Some(text) = &model.message {
        let line = Line::styled(format!(" {}", cut(text, width)), theme.style(Role::Straw));
        lines(frame, message, vec![Line::default(), line]);
    }
    keyline::draw(model, Context::Exclusions, theme, frame, keys);
}

/// Which columns fit.
struct ExclusionColumns {
    what: usize,
    why: usize,
    has_since: bool,
    has_files: bool,
}

impl ExclusionColumns {
    fn fit(width: usize) -> Self {
        let fixed = 3 + SCOPE + SIZE + SIZE + 2;
        let has_files = width >= fixed + FILES + WHY + 28;
        let has_since = width >= fixed + FILES + SINCE + WHY + 28;
        let part = |has: bool, wide: usize| if has { wide } else { 0 };
        let rest = width.saturating_sub(fixed + part(has_files, FILES) + part(has_since, SINCE));
        // Where room is short the card alone says why.
        let why = if has_files {
            (rest * 2 / 5).max(WHY)
        } else {
            0
        };
        Self {
            what: rest.saturating_sub(why),
            why,
            has_since,
            has_files,
        }
    }

    fn heading(&self, theme: &Theme) -> Line<'static> {
        let quiet = theme.style(Role::Quiet);
        let mut line = Pieces::default();
        line.to(3);
        line.add(left("what", self.what), quiet);
        line.add(left("why", self.why), quiet);
        line.add(left("counts on", SCOPE), quiet);
        if self.has_since {
            line.add(left("since", SINCE), quiet);
        }
        if self.has_files {
            line.add(right("files", FILES), quiet);
        }
        line.add(right("spares", SIZE), quiet);
        line.add(right("holds back", SIZE), quiet);
        line.line()
    }

    fn row(
        &self,
        theme: &Theme,
        one: &Excluded,
        held: jolly_core::pile::Sum,
        is_focus: bool,
    ) -> Line<'static> {
        let exclusion = &one.exclusion;
        let rests = exclusion.is_suspended;
        let [on, _, off] = theme.part_glyphs();
        let quiet = theme.style(Role::Quiet);
        let main = if rests {
            quiet
        } else {
            theme.style(Role::Text)
        };
        let mut line = Pieces::default();
        line.add(edge(theme, is_focus), theme.style(Role::Straw));
        let mark = if rests { off } else { on };
        line.add(
            format!("{mark} "),
            if rests {
                quiet
            } else {
                theme.style(Role::Straw)
            },
        );
        let what = cut_front(&exclusion.spares.to_string(), self.what.saturating_sub(2));
        line.add(left(&what, self.what), main);
        let why = match (rests, exclusion.why.as_str()) {
            (true, "") => "suspended".to_owned(),
            (true, why) => format!("suspended; {why}"),
            (false, why) => why.to_owned(),
        };
        let why = cut(&why, self.why.saturating_sub(2));
        line.add(left(&why, self.why), quiet);
        line.add(left(exclusion.scope.words(), SCOPE), quiet);
        if self.has_since {
            let since = exclusion
                .since
                .map_or_else(String::new, |day| day.to_string());
            line.add(left(&since, SINCE), quiet);
        }
        let found = one.reach.found;
        if self.has_files {
            line.add(right(&count(found.items), FILES), quiet);
        }
        line.add(right(&bytes(found.bytes), SIZE), main);
        let back = match (rests, held.items) {
            (true, _) | (_, 0) => theme.glyphs.none.to_owned(),
            _ => bytes(held.bytes),
        };
        line.add(right(&back, SIZE), main);
        line.line()
    }
}

/// What the one in focus is, and where it is written.
fn card(model: &Model, theme: &Theme, one: &Excluded, width: usize) -> Vec<Line<'static>> {
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let exclusion = &one.exclusion;
    let rule = format!(" {}", theme.glyphs.rule.repeat(width.saturating_sub(2)));
    let mut first = Pieces::default();
    first.add("   spares  ", quiet);
    let room = width.saturating_sub(first.width() + 2);
    first.add(
        cut_front(&exclusion.spares.to_string(), room),
        theme.bold(Role::Text),
    );
    let mut second = Pieces::default();
    second.add("   why     ", quiet);
    let why = match exclusion.why.as_str() {
        "" => "nobody said; enter changes that",
        why => why,
    };
    second.add(cut(why, room), text);
    let mut third = Pieces::default();
    third.add("   kept in ", quiet);
    let files = model.session.as_ref().map(|session| &session.files);
    let path = files.and_then(|files| files.exclusions(exclusion.scope));
    let kept = match (path, exclusion.scope) {
        (Some(path), _) => shown_name(path),
        (None, Scope::Run) => "no file: it was given with --exclude or --keep-site".to_owned(),
        (None, _) => "no file".to_owned(),
    };
    third.add(cut_front(&kept, room), text);
    vec![
        Line::styled(rule, theme.style(Role::Faint)),
        first.line(),
        second.line(),
        third.line(),
    ]
}
