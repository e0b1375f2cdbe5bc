//! What a file is called that belongs to something with a name.

/// Small letters, digits and single dashes, made of a name; `otherwise` where nothing of that is left.
#[must_use]
pub fn file_stem(name: &str, otherwise: &str) -> String {
    let plain = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' };
    let text: String = name.chars().map(plain).collect();
    let pieces: Vec<&str> = text.split('-').filter(|piece| !piece.is_empty()).collect();
    if pieces.is_empty() { otherwise.to_owned() } else { pieces.join("-") }
}

#[cfg(test)]
mod tests {
    use super::file_stem;

    #[test]
    fn any_name_gives_a_plain_file_stem() {
        assert_eq!(file_stem("Cellar pad", "device"), "cellar-pad");
        assert_eq!(file_stem("  ../Pad (2)\u{1b}", "device"), "pad-2");
        assert_eq!(file_stem("\u{e9}\u{fc}", "device"), "device");
    }
}
