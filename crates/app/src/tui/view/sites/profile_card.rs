//! The card of a profile: where it lies, and what was added to its browser.

use jolly_core::format::Printable;
use jolly_core::survey::{Extension, Profile, Sites};
use ratatui::text::Line;

use crate::tui::draw::{Pieces, cut, left, right};
use crate::tui::model::Weigh;
use crate::tui::theme::{Role, Theme};
use crate::wording::{HOW_TO_REMOVE, bytes, counted, extension_facts};

/// How many extensions are shown at most.
const SHOWN: usize = 6;

/// Widths of an extension's name, and of what it takes.
const NAME: usize = 28;
const SIZE: usize = 11;

/// The profile as one line says it: its name, and whose it is.
pub(super) fn name_of(weigh: &Weigh, profile: &Profile) -> String {
    let account = Sites::account_name(&weigh.scan.target, profile.account);
    let account = account.map_or_else(String::new, |name| {
        format!(" of {}", Printable(name.as_bytes()))
    });
    format!("{}{account}", profile.name())
}

/// The card, line by line.
pub(super) fn lines(
    theme: &Theme,
    weigh: &Weigh,
    (sites, profile): (&Sites, &Profile),
    (width, height): (usize, usize),
) -> Vec<Line<'static>> {
    // On a small screen the sites need the room.
    let shown = (height / 6).clamp(1, SHOWN);
    let quiet = theme.style(Role::Quiet);
    let own = sites.extensions.iter();
    let own: Vec<&Extension> = own.filter(|one| one.profile == *profile).collect();
    let mut head = Pieces::default();
    head.add(
        format!(" {}", name_of(weigh, profile)),
        theme.bold(Role::Text),
    );
    let path = format!("   {}", profile.path);
    head.add(cut(&path, width.saturating_sub(40)), quiet);
    let mut lines = vec![
        Line::styled(theme.glyphs.rule.repeat(width), theme.style(Role::Faint)),
        head.line(),
    ];
    if own.is_empty() {
        lines.push(Line::styled("   nothing was added to it", quiet));
        return lines;
    }
    for one in own.iter().take(shown) {
        let name = format!("{} {}", one.name, one.version);
        let name = Printable(name.as_bytes()).to_string();
        let size = bytes(one.program.saturating_add(one.storage));
        let mut line = Pieces::default();
        let role = if one.is_on { Role::Text } else { Role::Quiet };
        line.add(
            format!("   {}", left(&cut(&name, NAME - 2), NAME)),
            theme.style(role),
        );
        line.add(right(&size, SIZE), theme.style(role));
        let facts = cut(&extension_facts(one), width.saturating_sub(NAME + SIZE + 6));
        line.add(format!("   {facts}"), quiet);
        lines.push(line.line());
    }
    let more = own.len().saturating_sub(shown);
    let more = if more > 0 {
        format!("{more} more; ")
    } else {
        String::new()
    };
    let many = counted(own.len() as u64, "extension");
    let words = format!("   {many}: {more}{HOW_TO_REMOVE}");
    lines.push(Line::styled(cut(&words, width), quiet));
    lines
}
