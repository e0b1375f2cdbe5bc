//! The only way to standard output and standard error: line by line, with visible signs for control characters.
//! Names and quotations come from devices and from strangers' files; none of them can colour the screen, ring, or forge a line.

use mantle_core::visible::{sign, visible};
use serde::Serialize;
use std::fmt::{Arguments, Write as _};
use std::io::Write;

/// Prints a line on standard output.
macro_rules! say {
    () => { $crate::say::line(&mut std::io::stdout(), format_args!("")) };
    ($($what:tt)*) => { $crate::say::line(&mut std::io::stdout(), format_args!($($what)*)) };
}

/// Prints a line on standard error.
macro_rules! say_error {
    ($($what:tt)*) => { $crate::say::line(&mut std::io::stderr(), format_args!($($what)*)) };
}

pub(crate) use {say, say_error};

/// Writes a line. A closed pipe is not an error.
pub fn line(out: &mut impl Write, what: Arguments<'_>) {
    let text = what.to_string();
    let _ = out.write_all(format!("{}\n", visible(&text)).as_bytes());
}

/// A value as one line of JSON. Control characters are escaped, so programs read the same text.
///
/// # Errors
/// If it cannot be written as JSON.
pub fn json(value: &impl Serialize) -> serde_json::Result<String> {
    let text = serde_json::to_string(value)?;
    if text.bytes().all(|byte| byte.is_ascii() && byte != 0x7f) {
        return Ok(text);
    }
    let mut escaped = String::with_capacity(text.len());
    for c in text.chars() {
        if sign(c).is_none() {
            escaped.push(c);
            continue;
        }
        for unit in c.encode_utf16(&mut [0; 2]) {
            let _ = write!(escaped, "\\u{unit:04x}");
        }
    }
    Ok(escaped)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_printed_line_is_one_line_without_control_sequences() {
        let mut out = Vec::new();
        line(&mut out, format_args!("{}: {}", "pad\n\u{1b}[2J", "Grün"));
        assert_eq!(String::from_utf8(out).expect("text"), "pad\u{240a}\u{241b}[2J: Grün\n");
    }

    #[test]
    fn json_holds_the_same_text_without_control_sequences() {
        for name in ["\u{1b}]0;x\u{7}\n\u{9b}\u{202e}\u{7f}\"\\", "Grün \u{7684}", "\u{e0041}x", ""] {
            let text = json(&name).expect("JSON");
            assert!(text.chars().all(|c| sign(c).is_none()), "{text:?}");
            assert_eq!(serde_json::from_str::<String>(&text).expect("JSON"), name);
        }
    }
}
