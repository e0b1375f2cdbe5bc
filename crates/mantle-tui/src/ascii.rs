//! For terminals with ASCII only: replaces every other character after drawing.

use ratatui::buffer::Buffer;

/// Replaces what is not ASCII, cell by cell.
pub fn replace(buffer: &mut Buffer) {
    for cell in &mut buffer.content {
        if let Some(c) = cell.symbol().chars().next().filter(|_| !cell.symbol().is_ascii()) {
            cell.set_symbol(instead(c));
        }
    }
}

/// What replaces a character; never a question mark, which is the help key.
fn instead(c: char) -> &'static str {
    match c {
        '●' | '█' | '◉' => "#",
        '○' => "o",
        '◌' => "~",
        '✕' | '✗' | '×' => "x",
        '▲' => "!",
        '✓' | '±' | '┼' | '╭' | '╮' | '╰' | '╯' => "+",
        '━' | '═' | '▃' | '▄' => "=",
        '─' | '–' | '—' => "-",
        '╌' | '·' | '…' => ".",
        '│' | '▏' | '▕' => "|",
        '▸' | '→' | '▶' => ">",
        '←' | '◀' => "<",
        '↑' => "^",
        '↓' | '▼' => "v",
        '▁' | '▂' => "_",
        '▅' | '▆' | '▇' => "%",
        '•' => "*",
        'µ' | 'μ' => "u",
        '°' => "d",
        '²' => "2",
        '³' => "3",
        // Control characters are drawn as pictures, which become this sign.
        '\u{2400}'..='\u{2426}' => "^",
        '\u{fffd}' => "~",
        'À'..='Å' | 'Ā' | 'Ă' | 'Ą' => "A",
        'à'..='å' | 'ā' | 'ă' | 'ą' => "a",
        'Ç' | 'Ć' | 'Č' => "C",
        'ç' | 'ć' | 'č' => "c",
        'È'..='Ë' | 'Ē' | 'Ę' | 'Ě' => "E",
        'è'..='ë' | 'ē' | 'ę' | 'ě' => "e",
        'Ì'..='Ï' | 'Ī' => "I",
        'ì'..='ï' | 'ī' => "i",
        'Ñ' | 'Ń' | 'Ň' => "N",
        'ñ' | 'ń' | 'ň' => "n",
        'Ò'..='Ö' | 'Ø' | 'Ō' | 'Ő' => "O",
        'ò'..='ö' | 'ø' | 'ō' | 'ő' => "o",
        'Ù'..='Ü' | 'Ū' | 'Ů' | 'Ű' => "U",
        'ù'..='ü' | 'ū' | 'ů' | 'ű' => "u",
        'Ý' => "Y",
        'ý' | 'ÿ' => "y",
        'Ś' | 'Š' => "S",
        'ś' | 'š' | 'ß' => "s",
        'Ź' | 'Ż' | 'Ž' => "Z",
        'ź' | 'ż' | 'ž' => "z",
        'Ł' => "L",
        'ł' => "l",
        _ => "_",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_symbol_has_its_own_ascii_form_and_none_is_a_question_mark() {
        for c in "°±²µ·×–—…←↑→↓─━│┼╌═╭╮╯╰▁▂▃▄▅▆▇█▏▕▲▶▸▼◀◉○◌●✓✕✗".chars()
        {
            assert!(!["?", "_"].contains(&instead(c)) || matches!(c, '▁' | '▂'), "{c}");
        }
        let shown: String = "Kapitän Łódź 灯台\u{241b}".chars().map(instead_or_self).collect();
        assert_eq!(shown, "Kapitan Lodz __^");
        assert!(('\u{80}'..='\u{ffff}').all(|c| instead(c) != "?"));
    }

    fn instead_or_self(c: char) -> String {
        if c.is_ascii() { c.to_string() } else { instead(c).to_owned() }
    }
}
