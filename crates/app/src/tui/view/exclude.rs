//! An exclusion while it is being said, with what it spares.

use jolly_core::decide::Scope;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};

use crate::tui::draw::{Pieces, cut_front, left};
use crate::tui::model::{Counted, Draft, Field, Model, Offer};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::edge;
use crate::tui::view::keyline::add_hints;
use crate::tui::view::overlay::{asking, raised};
use crate::wording::{bytes, count, counted};

/// Columns of the words before each line.
const WORDS: usize = 14;
/// What stands where nobody has said why.
const HINT: &str = "in a few words, such as: the accountant's folder";
/// Columns of the patch.
const WIDTH: u16 = 96;

pub(super) fn draw(model: &Model, draft: &Draft, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let title = if draft.changes.is_some() {
        "Change what is excluded"
    } else {
        "Exclude"
    };
    let mut all = vec![
        Line::styled(title, theme.bold(Role::Straw)),
        Line::default(),
    ];
    for (at, offer) in draft.offers.iter().enumerate() {
        let is_chosen = at == draft.chosen;
        let stand = match (is_chosen, draft.field) {
            (false, _) => Stand::Offered,
            (true, Field::What) if draft.is_typing_what() => Stand::Typed,
            (true, Field::What) => Stand::Focused,
            (true, Field::Where | Field::Why) => Stand::Chosen,
        };
        all.push(offer_line(theme, offer, stand));
    }
    all.push(Line::default());
    all.push(scope_line(theme, draft));
    all.push(why_line(theme, draft));
    all.push(Line::default());
    all.extend(count_lines(model, theme, draft));
    all.push(Line::default());
    let mut keys = Pieces::default();
    let enter = if draft.is_warned {
        "exclude all of it"
    } else {
        "exclude"
    };
    let arrows = match draft.field {
        Field::Where => "this computer or all",
        Field::What | Field::Why => "what",
    };
    let hints = [
        ("enter", enter),
        ("↑ ↓", arrows),
        ("tab", "where it counts, why"),
        ("esc", "leave it"),
    ];
    add_hints(theme, &mut keys, &hints);
    all.push(keys.line());
    raised(theme, frame, area, WIDTH, all);
}

/// How an offer stands.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Stand {
    Offered,
    /// It is meant, and keys go elsewhere.
    Chosen,
    /// It is meant, and the arrows choose another.
    Focused,
    /// It is meant, and what is typed goes into it.
    Typed,
}

fn offer_line(theme: &Theme, offer: &Offer, stand: Stand) -> Line<'static> {
    let is_chosen = stand != Stand::Offered;
    let mut line = Pieces::default();
    let is_focus = matches!(stand, Stand::Focused | Stand::Typed);
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    let role = if is_chosen { Role::Straw } else { Role::Quiet };
    line.add(
        left(&format!(" {}", offer.word()), WORDS),
        theme.style(role),
    );
    let shown = match offer {
        Offer::Ready(_, spares) => spares.to_string(),
        Offer::Pattern(input) | Offer::Larger(input) | Offer::Younger(input) => {
            if stand == Stand::Typed {
                let mut line = line.line();
                line.spans.extend(asking(theme, "", input).spans);
                return line;
            }
            input.value().to_owned()
        }
    };
    let empty = match offer {
        Offer::Pattern(_) => "such as *.iso or home/*/letters",
        Offer::Larger(_) => "such as 2 GiB",
        Offer::Younger(_) => "such as 3 days",
        Offer::Ready(..) => "",
    };
    let role = match (is_chosen, shown.is_empty()) {
        (_, true) => Role::Faint,
        (true, false) => Role::Text,
        (false, false) => Role::Quiet,
    };
    let shown = if shown.is_empty() { empty } else { &shown };
    let room = usize::from(WIDTH) - WORDS - 9;
    line.add(format!(" {}", cut_front(shown, room)), theme.style(role));
    line.line()
}

fn scope_line(theme: &Theme, draft: &Draft) -> Line<'static> {
    let (scope, is_focus) = (draft.scope, draft.field == Field::Where);
    let mut line = Pieces::default();
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    line.add(left(" counts on", WORDS + 1), theme.style(Role::Quiet));
    for (at, known) in [Scope::Computer, Scope::Everywhere].into_iter().enumerate() {
        let role = if known == scope {
            Role::Straw
        } else {
            Role::Faint
        };
        let gap = if at > 0 { "   " } else { "" };
        let [on, _, off] = theme.part_glyphs();
        let mark = if known == scope { on } else { off };
        line.add(format!("{gap}{mark} {}", known.words()), theme.style(role));
    }
    line.line()
}

fn why_line(theme: &Theme, draft: &Draft) -> Line<'static> {
    let mut line = Pieces::default();
    let is_focus = draft.field == Field::Why;
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    line.add(left(" why", WORDS), theme.style(Role::Quiet));
    let is_typed = is_focus || (draft.field == Field::What && !draft.is_typing_what());
    if is_typed {
        let mut line = line.line();
        line.spans.extend(asking(theme, "", &draft.why).spans);
        if draft.why.value().is_empty() {
            line.spans
                .push(Span::styled(format!(" {HINT}"), theme.style(Role::Faint)));
        }
        return line;
    }
    let why = draft.why.value();
    let (text, role) = if why.is_empty() {
        (
            "in a few words, such as: the accountant's folder",
            Role::Faint,
        )
    } else {
        (why, Role::Text)
    };
    line.add(format!(" {text}"), theme.style(role));
    line.line()
}

/// What it spares, counted.
fn count_lines(model: &Model, theme: &Theme, draft: &Draft) -> Vec<Line<'static>> {
    let quiet = theme.style(Role::Quiet);
    let straw = theme.style(Role::Straw);
    let mut line = Pieces::default();
    line.add("  ", quiet);
    match &draft.counted {
        Counted::Counting => {
            line.add("what it spares is being counted", quiet);
        }
        Counted::Wrong(wrong) => {
            line.add(wrong.clone(), theme.style(Role::Ask));
        }
        Counted::Done {
            reach,
            is_everything,
            held,
        } => {
            let found = reach.found;
            let sum = format!("{}, {}", counted(found.items, "item"), bytes(found.bytes));
            if found.items == 0 {
                line.add("It spares nothing of what was found.", quiet);
            } else if *is_everything {
                line.add(
                    format!("It spares everything that was found: {sum}."),
                    straw,
                );
            } else {
                line.add("It spares ", quiet).add(sum, straw);
                let would = match held.items {
                    0 => "; none of it would go now.".to_owned(),
                    files => format!(
                        "; {} of that, {}, would go by age.",
                        count(files),
                        bytes(held.bytes)
                    ),
                };
                line.add(would, quiet);
            }
        }
    }
    let mut all = vec![line.line()];
    if draft.is_warned {
        let text = "  Nothing would be left to sweep. enter once more excludes it all the same.";
        all.push(Line::styled(text, theme.style(Role::Ask)));
    }
    if draft.scope == Scope::Computer && all.len() == 1 {
        let text = format!("  It is remembered for {}.", model.facts.label);
        all.push(Line::styled(text, quiet));
    } else if all.len() == 1 {
        let text = "  It is remembered for every computer that is opened here.";
        all.push(Line::styled(text, quiet));
    }
    all
}
