//! The font that ships with the program, and the width of words in it.

use std::sync::OnceLock;
use ttf_parser::{Face, GlyphId};

/// How heavy letters are.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub enum Weight {
    /// As in running text.
    Plain,
    /// For what the eye shall find first.
    Bold,
}

const PLAIN: &[u8] = include_bytes!("../fonts/DejaVuSansCondensed.ttf");
const BOLD: &[u8] = include_bytes!("../fonts/DejaVuSansCondensed-Bold.ttf");
/// What replaces a letter that the font does not have.
const UNKNOWN: char = '\u{fffd}';

impl Weight {
    /// Both.
    pub(crate) const ALL: [Self; 2] = [Self::Plain, Self::Bold];

    /// The font's file.
    pub(crate) fn data(self) -> &'static [u8] {
        match self {
            Self::Plain => PLAIN,
            Self::Bold => BOLD,
        }
    }

    /// The font's name.
    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::Plain => "DejaVuSansCondensed",
            Self::Bold => "DejaVuSansCondensed-Bold",
        }
    }

    pub(crate) fn face(self) -> &'static Face<'static> {
        static FACES: [OnceLock<Face<'static>>; 2] = [const { OnceLock::new() }; 2];
        FACES[self as usize].get_or_init(|| Face::parse(self.data(), 0).expect("the font that ships is a font"))
    }
}

/// A letter of the font, with its glyph.
pub(crate) fn glyph(weight: Weight, letter: char) -> (GlyphId, char) {
    let face = weight.face();
    let letter = if letter.is_control() { ' ' } else { letter };
    match face.glyph_index(letter) {
        Some(glyph) => (glyph, letter),
        None => (face.glyph_index(UNKNOWN).unwrap_or(GlyphId(0)), UNKNOWN),
    }
}

/// The width of a glyph in thousandths of the font's size.
pub(crate) fn advance(weight: Weight, glyph: GlyphId) -> f32 {
    let face = weight.face();
    f32::from(face.glyph_hor_advance(glyph).unwrap_or(0)) * 1000.0 / f32::from(face.units_per_em())
}

/// How wide a text is, in points, at a size in points.
#[must_use]
pub fn width(weight: Weight, size: f32, text: &str) -> f32 {
    let sum: f32 = text.chars().map(|letter| advance(weight, glyph(weight, letter).0)).sum();
    sum * size / 1000.0
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_widths_add_up_and_every_letter_has_one() {
        assert!(width(Weight::Plain, 10.0, "mm") > width(Weight::Plain, 10.0, "ii"));
        assert!(width(Weight::Bold, 10.0, "jump") > width(Weight::Plain, 10.0, "jump"));
        for letter in "ŁÄñжλ→…☃🎮\u{7}".chars() {
            assert!(width(Weight::Plain, 10.0, &letter.to_string()) > 1.0, "{letter:?}");
        }
    }
}
