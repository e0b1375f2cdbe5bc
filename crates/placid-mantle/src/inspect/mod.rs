//! `inspect`: what report descriptors and reports say, for people and for programs.

mod file;
mod forms;
mod stream;
mod text;

pub use file::run;
pub use stream::stream;

/// Parses a hex string; whitespace is ignored.
fn hex(text: &str) -> Result<Vec<u8>, String> {
    let digits: Vec<char> = text.chars().filter(|c| !c.is_whitespace()).collect();
    if digits.len() % 2 == 1 {
        return Err(format!("{} hex digits are not whole bytes", digits.len()));
    }
    let pair = |pair: &[char]| match (pair[0].to_digit(16), pair[1].to_digit(16)) {
        (Some(high), Some(low)) => Ok((high << 4 | low) as u8),
        _ => Err(format!("{:?} is not a byte in hex", pair.iter().collect::<String>())),
    };
    digits.chunks(2).map(pair).collect()
}
