//! Faults of files: what is wrong, and where.

use std::fmt;

/// The longest word and the longest message: files are quoted, but could be a megabyte.
const WORD: usize = 80;
const MESSAGE: usize = 1000;

/// Makes a message readable whatever it quotes: long words lose their middle, long texts their end.
fn readable(message: String) -> String {
    if message.len() <= WORD {
        return message;
    }
    let short = |word: &str| match word.char_indices().nth(WORD) {
        None => word.to_owned(),
        Some(_) => {
            let of = |at: usize| word.char_indices().nth(at).map_or(word.len(), |(byte, _)| byte);
            let end = word.char_indices().rev().nth(WORD / 4).map_or(0, |(byte, _)| byte);
            format!("{}…{}", &word[..of(WORD / 2)], &word[end..])
        }
    };
    // A little more than what is shown is examined.
    let words = message.split(' ').take(MESSAGE).map(short);
    let mut text = words.collect::<Vec<_>>().join(" ");
    if let Some((end, _)) = text.char_indices().nth(MESSAGE) {
        text.truncate(end);
        text.push('…');
    }
    text
}

/// A fault because of which all or part of a file cannot be read.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct FileFault {
    /// The file.
    pub path: String,
    /// The line, from 1; 0 if it is about the whole file.
    pub line: usize,
    /// The column, from 1.
    pub column: usize,
    /// What is wrong, and what is allowed.
    pub message: String,
}

impl fmt::Display for FileFault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.line == 0 {
            write!(f, "{}: {}", self.path, self.message)
        } else {
            write!(f, "{}:{}:{}: {}", self.path, self.line, self.column, self.message)
        }
    }
}

impl std::error::Error for FileFault {}

impl FileFault {
    /// A fault of the whole file.
    #[must_use]
    pub fn whole(path: &str, message: impl Into<String>) -> Self {
        Self { path: path.into(), line: 0, column: 0, message: readable(message.into()) }
    }

    /// A fault at a byte of the text.
    #[must_use]
    pub fn at(path: &str, text: &str, offset: usize, message: impl Into<String>) -> Self {
        let before = text.get(..offset).unwrap_or(text);
        let line = before.matches('\n').count() + 1;
        let column = before.rsplit('\n').next().map_or(0, |last| last.chars().count()) + 1;
        Self { path: path.into(), line, column, message: readable(message.into()) }
    }

    /// The fault in a sentence for the screen: where, what, and what may be meant; long lists of allowed values are shortened.
    #[must_use]
    pub fn sentence(&self) -> String {
        const HEAD: usize = 150;
        let text = self.to_string();
        let (head, tail) = match text.rfind("; did you mean") {
            Some(at) => text.split_at(at),
            None => (text.as_str(), ""),
        };
        let cut =
            head.char_indices().nth(HEAD).and_then(|(end, _)| head[..end].rfind(", ")).filter(|at| *at > HEAD / 2);
        let head = cut.map_or_else(|| head.to_owned(), |at| format!("{}, …", &head[..at]));
        let text = head + tail;
        if text.ends_with(['.', '?', '…']) { text } else { text + "." }
    }

    /// Refuses more of something than is handled.
    pub(crate) fn most(path: &str, what: &str, count: usize, most: usize) -> Result<(), Self> {
        let message = || format!("{what}: {count}; at most {most} are read");
        if count > most { Err(Self::whole(path, message())) } else { Ok(()) }
    }

    pub(crate) fn from_toml(path: &str, text: &str, error: &toml::de::Error) -> Self {
        match error.span() {
            Some(span) => Self::at(path, text, span.start, error.message()),
            None => Self::whole(path, error.message()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_long_quotations_are_shortened() {
        let usual = "unknown field `colour`, expected one of `name`, `vendor`, `product`, `bus`, `release`, `serial`, `interface`";
        assert_eq!(FileFault::whole("p", usual).message, usual);
        let long = FileFault::whole("p", format!("unknown field `{}`, expected `name`", "é".repeat(100_000))).message;
        assert!(long.starts_with("unknown field `éé") && long.ends_with("`, expected `name`"), "{long}");
        assert!(long.contains('…') && long.chars().count() < 130, "{long}");
        assert!(FileFault::whole("p", "a ".repeat(100_000)).message.chars().count() <= MESSAGE + 1);
    }
}
