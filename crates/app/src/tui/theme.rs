//! One theme for all widgets: roles to colours, and the glyphs that say the same by shape.

use crate::wording::bytes;
use jolly_core::decide::PileState;
use jolly_core::rule::Class;
use ratatui::style::{Color, Modifier, Style};

use crate::options::Looks;

/// What a thing on the screen is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Role {
    Background,
    Raised,
    Text,
    Quiet,
    Faint,
    Straw,
    Spent,
    Regrows,
    Felt,
    Ask,
    Kept,
    KeptOnVolume,
    /// How long nobody used something, from what is used to what nobody remembers.
    Unused(usize),
}

/// How many colours the terminal has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Depth {
    True,
    Indexed,
    Sixteen,
    None,
}

/// Colours and glyphs for this terminal.
#[derive(Clone, Debug)]
pub(super) struct Theme {
    depth: Depth,
    is_light: bool,
    is_ascii: bool,
    /// Whether nothing is drawn: words are read aloud.
    is_spoken: bool,
    pub glyphs: Glyphs,
}

/// The signs that are drawn with.
#[derive(Clone, Debug)]
pub(super) struct Glyphs {
    pub broom: &'static str,
    pub focus: &'static str,
    pub cut: &'static str,
    pub bars: [&'static str; 8],
    pub empty_band: &'static str,
    pub kept: &'static str,
    pub swept: &'static str,
    /// A thin bar: its half cell and its cell.
    pub share: [&'static str; 2],
    pub free: &'static str,
    pub rule: &'static str,
    /// The line that a chart stands at.
    pub axis: &'static str,
    pub road: &'static str,
    pub dot: &'static str,
    pub arrow: &'static str,
    pub none: &'static str,
    /// Before a size that is an estimate.
    about: &'static str,
    /// A folder whose contents show, and one whose don't.
    pub open: &'static str,
    pub closed: &'static str,
    pub moving: [&'static str; 4],
    classes: [&'static str; 4],
    states: [&'static str; 4],
}

/// Each sign drawn in full, with letters that every terminal has, and spoken: nothing that is drawn, marks are letters, bars
/// are blank.
macro_rules! glyphs {
    ($($name:ident $full:expr, $ascii:expr, $spoken:expr;)*) => {
        const FULL: Glyphs = Glyphs { $($name: $full),* };
        const ASCII: Glyphs = Glyphs { $($name: $ascii),* };
        const SPOKEN: Glyphs = Glyphs { $($name: $spoken),* };
    };
}

glyphs! {
    broom "▟▙", "/\\", "";
    focus "▌", ">", ">";
    cut "▏", "|", " ";
    bars ["▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"], ["_", "_", ".", ".", "-", "=", "#", "#"], [" "; 8];
    empty_band "···", "   ", "   ";
    kept "█", "#", " ";
    swept "▒", "%", " ";
    share ["╸", "━"], ["-", "="], [" ", " "];
    free "░", ".", " ";
    rule "─", "-", " ";
    axis "│", "|", " ";
    road " ─ ", " - ", ", ";
    dot "·", "-", ",";
    arrow "→", "->", "to";
    none "–", "-", "none";
    about "≈", "~", "~";
    open "▾", "v", "v";
    closed "▸", ":", ":";
    moving ["⠂", "⠒", "⠶", "⠒"], ["|", "/", "-", "\\"], ["."; 4];
    classes ["◆", "◇", "○", "□"], ["S", "R", "F", "A"], ["S", "R", "F", "A"];
    states ["●", "◐", "○", "⊘"], ["*", "+", "o", "!"], ["T", "P", "L", "B"];
}

/// The shades of what nobody used for long: on a dark ground, on a light one, and of sixteen colours.
const UNUSED: [(u32, u32, Color); 5] = [
    (0x2f_41_55, 0x4d_6a_8c, Color::Blue),
    (0x4a_5f_74, 0x7d_96_b2, Color::Blue),
    (0x77_85_92, 0xad_c0_d3, Color::Gray),
    (0xa9_ab_a6, 0xd3_dd_e7, Color::Gray),
    (0xdc_d4_c2, 0xff_fd_f7, Color::White),
];

/// From this shade on text on it is dark.
const PALE: usize = 2;

impl Theme {
    /// The theme for the terminal that the environment describes.
    pub(super) fn of_terminal(looks: &Looks) -> Self {
        let set = |name: &str| std::env::var(name).unwrap_or_default();
        let (colours, term) = (set("COLORTERM"), set("TERM"));
        let depth = if !set("NO_COLOR").is_empty() {
            Depth::None
        } else if colours.contains("truecolor") || colours.contains("24bit") {
            Depth::True
        } else if term.contains("256color") {
            Depth::Indexed
        } else {
            Depth::Sixteen
        };
        let glyphs = match (looks.plain, looks.ascii) {
            (true, _) => SPOKEN,
            (false, true) => ASCII,
            (false, false) => FULL,
        };
        Self {
            depth,
            is_light: looks.light,
            is_ascii: looks.ascii || looks.plain,
            is_spoken: looks.plain,
            glyphs,
        }
    }

    fn colour(&self, role: Role) -> Color {
        let (dark, light, ansi) = match role {
            Role::Background => (0x15_19_1e, 0xf6_f3_ec, Color::Reset),
            Role::Raised => (0x22_28_30, 0xe6_e1_d4, Color::Reset),
            Role::Text => (0xe8_e2_d4, 0x22_28_30, Color::Reset),
            Role::Quiet => (0x7f_87_91, 0x66_6d_76, Color::DarkGray),
            Role::Faint => (0x3c_43_4c, 0xc4_be_b0, Color::DarkGray),
            Role::Straw => (0xe6_b4_50, 0x9a_68_00, Color::Yellow),
            Role::Spent => (0x6c_b8_a6, 0x1f_75_62, Color::Cyan),
            Role::Regrows => (0x7a_a2_dc, 0x2b_5f_a8, Color::Blue),
            Role::Felt => (0xc5_8f_d0, 0x87_45_95, Color::Magenta),
            Role::Ask => (0xdd_8a_5f, 0xa8_4a_18, Color::Red),
            Role::Kept => (0x59_61_6b, 0x9d_9a_90, Color::DarkGray),
            Role::KeptOnVolume => (0x9a_a1_ad, 0x6f_75_7e, Color::Gray),
            Role::Unused(shade) => UNUSED.get(shade).copied().unwrap_or(UNUSED[0]),
        };
        let rgb: u32 = if self.is_light { light } else { dark };
        let [_, red, green, blue] = rgb.to_be_bytes();
        match self.depth {
            Depth::True => Color::Rgb(red, green, blue),
            Depth::Indexed => Color::Indexed(nearest_indexed(red, green, blue)),
            Depth::Sixteen if self.is_light => ansi,
            // On a dark ground the dark ones can't be read.
            Depth::Sixteen => match ansi {
                Color::Blue => Color::LightBlue,
                Color::Magenta => Color::LightMagenta,
                Color::Red => Color::LightRed,
                other => other,
            },
            Depth::None => Color::Reset,
        }
    }

    /// The style of a role on the ground.
    pub(super) fn style(&self, role: Role) -> Style {
        let style = Style::new().fg(self.colour(role));
        // Without colour, what is about to go still stands out.
        if self.depth == Depth::None && role == Role::Straw {
            style.add_modifier(Modifier::BOLD)
        } else {
            style
        }
    }

    /// The style of a heading in a role.
    pub(super) fn bold(&self, role: Role) -> Style {
        self.style(role).add_modifier(Modifier::BOLD)
    }

    /// A cell filled with a role's colour; without colours it is drawn by its glyph instead.
    pub(super) fn fill(&self, role: Role) -> Option<Style> {
        (self.depth != Depth::None && !self.is_spoken).then(|| Style::new().bg(self.colour(role)))
    }

    /// A block that nobody used for so long, with text on it that can be read.
    pub(super) fn shade(&self, shade: usize) -> Style {
        let Some(filled) = self.fill(Role::Unused(shade)) else {
            return Style::new().add_modifier(Modifier::UNDERLINED);
        };
        let is_dark = shade < PALE;
        let text = match (self.depth, self.is_light) {
            (Depth::Sixteen, _) if is_dark => Color::White,
            (Depth::Sixteen, _) => Color::Black,
            // The ground's own text and the ground itself are the two that can be read on it.
            (_, is_light) if is_dark == is_light => self.colour(Role::Background),
            _ => self.colour(Role::Text),
        };
        filled.fg(text)
    }

    /// The block in focus.
    pub(super) fn chosen(&self) -> Style {
        match self.fill(Role::Straw) {
            Some(filled) => filled
                .fg(self.colour(Role::Background))
                .add_modifier(Modifier::BOLD),
            None => Style::new().add_modifier(Modifier::REVERSED | Modifier::BOLD),
        }
    }

    /// A mark on a block: its colour alone.
    pub(super) fn mark(&self) -> Style {
        Style::new().fg(self.colour(Role::Straw))
    }

    /// The ground of the screen.
    pub(super) fn ground(&self) -> Style {
        Style::new()
            .fg(self.colour(Role::Text))
            .bg(self.colour(Role::Background))
    }

    /// The ground of the focused row.
    pub(super) fn raised(&self) -> Style {
        Style::new().bg(self.colour(Role::Raised))
    }

    /// The role of a class.
    pub(super) fn class_role(class: Class) -> Role {
        match class {
            Class::Spent => Role::Spent,
            Class::Regrows => Role::Regrows,
            Class::Felt => Role::Felt,
            Class::Ask => Role::Ask,
        }
    }

    /// The sign of a class.
    pub(super) fn class_glyph(&self, class: Class) -> &'static str {
        let [spent, regrows, felt, ask] = self.glyphs.classes;
        match class {
            Class::Spent => spent,
            Class::Regrows => regrows,
            Class::Felt => felt,
            Class::Ask => ask,
        }
    }

    /// How keys are written: arrows as words where the terminal may not have them.
    pub(super) fn keys(&self, label: &str) -> String {
        if !self.is_ascii {
            return label.to_owned();
        }
        let words = [("↑", "up"), ("↓", "down"), ("←", "left"), ("→", "right")];
        let written = |text: String, (arrow, word): (&str, &str)| text.replace(arrow, word);
        words.into_iter().fold(label.to_owned(), written)
    }

    /// A size, marked where it is an estimate.
    pub(super) fn size(&self, size: u64, is_estimated: bool) -> String {
        let is_marked = is_estimated && size > 0;
        let about = if is_marked { self.glyphs.about } else { "" };
        format!("{about}{}", bytes(size))
    }

    /// Whether only letters and signs that every terminal has are drawn.
    pub(super) fn is_plain(&self) -> bool {
        self.is_ascii
    }

    /// Whether nothing is drawn, and all stands in one column.
    pub(super) fn is_spoken(&self) -> bool {
        self.is_spoken
    }

    /// The marks of what goes, goes in part, stays.
    pub(super) fn part_glyphs(&self) -> [&'static str; 3] {
        let [taken, part, left, _] = self.glyphs.states;
        [taken, part, left]
    }

    /// The mark of a pile.
    pub(super) fn state_glyph(&self, state: PileState) -> &'static str {
        let [taken, part, left, blocked] = self.glyphs.states;
        match state {
            PileState::Taken => taken,
            PileState::Part => part,
            PileState::Left => left,
            PileState::Blocked => blocked,
        }
    }
}

/// The nearest of the 6 × 6 × 6 cube and the 24 greys that terminals of 256 colours share.
fn nearest_indexed(red: u8, green: u8, blue: u8) -> u8 {
    const LEVELS: [u8; 6] = [0, 95, 135, 175, 215, 255];
    let distance = |one: (u8, u8, u8)| {
        let part = |a: u8, b: u8| u32::from(a.abs_diff(b)).pow(2);
        part(one.0, red) + part(one.1, green) + part(one.2, blue)
    };
    let cube = (0_u8..216).map(|number| {
        let level = |at: u8| LEVELS.get(usize::from(at % 6)).copied().unwrap_or(0);
        (
            16 + number,
            (level(number / 36), level(number / 6), level(number)),
        )
    });
    let greys = (0_u8..24).map(|number| {
        let level = 8 + number * 10;
        (232 + number, (level, level, level))
    });
    cube.chain(greys)
        .min_by_key(|(_, colour)| distance(*colour))
        .map_or(16, |(index, _)| index)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn indexed_colours_are_the_nearest_ones() {
        assert_eq!(nearest_indexed(0, 0, 0), 16);
        assert_eq!(nearest_indexed(255, 255, 255), 231);
        assert_eq!(nearest_indexed(0x15, 0x19, 0x1e), 234);
        assert_eq!(nearest_indexed(0xe6, 0xb4, 0x50), 179);
    }
}
