//! Text from outside, made fit to be shown: the one door that every name, serial, comment and quotation goes through on its way to
//! a terminal, a log or a picture.

use std::borrow::Cow;

/// What is shown instead of a character that a terminal would obey, that turns the direction of writing, or that cannot be seen;
/// none for any other.
#[must_use]
pub const fn sign(c: char) -> Option<char> {
    match c {
        // Unicode has pictures of these.
        '\u{0}'..='\u{1f}' => char::from_u32(0x2400 + c as u32),
        '\u{7f}' => Some('\u{2421}'),
        '\u{80}'..='\u{9f}'
        | '\u{ad}'
        | '\u{34f}'
        | '\u{61c}'
        | '\u{115f}'..='\u{1160}'
        | '\u{17b4}'..='\u{17b5}'
        | '\u{180b}'..='\u{180f}'
        | '\u{200b}'..='\u{200f}'
        | '\u{2028}'..='\u{202e}'
        | '\u{2060}'..='\u{206f}'
        | '\u{3164}'
        | '\u{feff}'
        | '\u{ffa0}'
        | '\u{fff0}'..='\u{fffb}'
        | '\u{e0000}'..='\u{e0fff}' => Some('\u{fffd}'),
        _ => None,
    }
}

/// A text with visible signs instead of what a terminal would obey, line ends among them.
#[must_use]
pub fn visible(text: &str) -> Cow<'_, str> {
    if text.chars().all(|c| sign(c).is_none()) {
        return Cow::Borrowed(text);
    }
    text.chars().map(|c| sign(c).unwrap_or(c)).collect::<String>().into()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn terminal_control_sequences_are_removed() {
        assert_eq!(visible("\u{1b}]0;title\u{7}"), "\u{241b}]0;title\u{2407}");
        assert_eq!(visible("a\u{202e}b\u{9b}c\nd"), "a\u{fffd}b\u{fffd}c\u{240a}d");
        assert_eq!(visible("x\u{2029}\u{e0041}\u{ad}"), "x\u{fffd}\u{fffd}\u{fffd}");
        assert_eq!(visible("Gr\u{fc}n \u{7684}"), "Gr\u{fc}n \u{7684}");
    }

    #[test]
    fn every_unicode_control_and_direction_mark_is_removed() {
        for c in '\u{0}'..=char::MAX {
            if c.is_control() {
                assert!(sign(c).is_some(), "{:04x}", c as u32);
            }
            assert!(sign(c).is_none_or(|sign| self::sign(sign).is_none() && !sign.is_control()), "{:04x}", c as u32);
        }
        // Bidi_Control of the Unicode character database.
        for c in
            "\u{61c}\u{200e}\u{200f}\u{202a}\u{202b}\u{202c}\u{202d}\u{202e}\u{2066}\u{2067}\u{2068}\u{2069}".chars()
        {
            assert!(sign(c).is_some(), "{:04x}", c as u32);
        }
    }
}
