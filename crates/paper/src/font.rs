//! The font of all pages, and how wide text is in it.
//!
//! IBM Plex Sans, under the SIL Open Font License 1.1 (`fonts/LICENSE`); the files are unchanged.

use std::sync::LazyLock;

use ttf_parser::Face;

/// The font's family.
pub(crate) const FAMILY: &str = "IBM Plex Sans";

const REGULAR: &[u8] = include_bytes!("../fonts/IBMPlexSans_400Regular.ttf");
const SEMIBOLD: &[u8] = include_bytes!("../fonts/IBMPlexSans_600SemiBold.ttf");

/// Both files of the font.
pub(crate) const FILES: [&[u8]; 2] = [REGULAR, SEMIBOLD];

/// How heavy text is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Weight {
    Regular,
    SemiBold,
}

impl Weight {
    /// As SVG writes it.
    pub(crate) fn number(self) -> u16 {
        match self {
            Self::Regular => 400,
            Self::SemiBold => 600,
        }
    }

    fn face(self) -> Option<&'static Face<'static>> {
        static FACES: LazyLock<[Option<Face<'static>>; 2]> =
            LazyLock::new(|| FILES.map(|file| Face::parse(file, 0).ok()));
        match self {
            Self::Regular => FACES[0].as_ref(),
            Self::SemiBold => FACES[1].as_ref(),
        }
    }
}

/// What can't be drawn stands as the sign for it (U+FFFD): what XML forbids, what turns the direction of text, and
/// what the font has no glyph for.
pub(crate) fn drawable(text: &str) -> String {
    let face = Weight::Regular.face();
    let can_be = |letter: char| {
        // Unicode promises that these two of every plane are no letters, and XML forbids the first pair.
        u32::from(letter) & 0xfffe != 0xfffe
            && jolly_core::format::is_harmless(letter)
            && !letter.is_control()
            && face.is_none_or(|face| face.glyph_index(letter).is_some())
    };
    let letters = text.chars();
    letters
        .map(|letter| if can_be(letter) { letter } else { '\u{fffd}' })
        .collect()
}

/// How wide a text is, in the unit of its size.
pub(crate) fn width(text: &str, size: f32, weight: Weight) -> f32 {
    text.chars()
        .map(|letter| advance(letter, size, weight))
        .sum()
}

fn advance(letter: char, size: f32, weight: Weight) -> f32 {
    let Some(face) = weight.face() else {
        return size;
    };
    let glyph = face.glyph_index(letter).unwrap_or_default();
    let units = f32::from(face.glyph_hor_advance(glyph).unwrap_or(0));
    units * size / f32::from(face.units_per_em().max(1))
}

/// As much of a text as fits, with a sign where something is left out.
pub(crate) fn cut(text: &str, room: f32, size: f32, weight: Weight) -> String {
    let left_out = advance('…', size, weight);
    let (mut wide, mut fits_with_sign) = (0.0, 0);
    for (at, letter) in text.char_indices() {
        if wide + left_out <= room {
            fits_with_sign = at;
        }
        wide += advance(letter, size, weight);
        if wide > room {
            let shown = text.get(..fits_with_sign).unwrap_or_default();
            return shown.trim_end().to_owned() + "…";
        }
    }
    text.to_owned()
}

/// The lines of a text that is so wide at most, so many at most; what doesn't fit the last is cut.
pub(crate) fn wrap(text: &str, room: f32, font: (f32, Weight), most: usize) -> Vec<String> {
    let words: Vec<&str> = text.split_whitespace().collect();
    wrap_pieces(&words, " ", room, font, most)
}

/// The lines of pieces that stay whole, with a sign between them.
pub(crate) fn wrap_pieces(
    pieces: &[&str],
    between: &str,
    room: f32,
    (size, weight): (f32, Weight),
    most: usize,
) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for piece in pieces {
        let is_last = lines.len() >= most;
        match lines.last_mut() {
            Some(line) => {
                let longer = format!("{line}{between}{piece}");
                if is_last || width(&longer, size, weight) <= room {
                    *line = longer;
                } else {
                    lines.push((*piece).to_owned());
                }
            }
            None => lines.push((*piece).to_owned()),
        }
    }
    let fitting = lines.into_iter();
    fitting.map(|line| cut(&line, room, size, weight)).collect()
}
