//! Text from outside, made fit to be shown.

/// A text with visible signs instead of characters that a terminal would obey: control characters as the pictures that Unicode has
/// for them, whatever turns the direction of writing or cannot be seen as a replacement sign.
#[must_use]
pub fn visible(text: &str) -> String {
    let shown = |c: char| match c {
        '\u{0}'..='\u{1f}' => char::from_u32(0x2400 + u32::from(c)).unwrap_or('\u{fffd}'),
        '\u{7f}' => '\u{2421}',
        '\u{80}'..='\u{9f}' | '\u{2028}' | '\u{2029}' => '\u{fffd}',
        '\u{200b}'..='\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2060}'..='\u{206f}' | '\u{feff}' => '\u{fffd}',
        c => c,
    };
    text.chars().map(shown).collect()
}

#[cfg(test)]
mod tests {
    use super::visible;

    #[test]
    fn nothing_that_a_terminal_obeys_is_left() {
        assert_eq!(visible("\u{1b}]0;title\u{7}"), "\u{241b}]0;title\u{2407}");
        assert_eq!(visible("a\u{202e}b\u{9b}c\nd"), "a\u{fffd}b\u{fffd}c\u{240a}d");
        assert_eq!(visible("Gr\u{fc}n \u{7684}"), "Gr\u{fc}n \u{7684}");
    }
}
