//! What is wrong with a file, and where.

use std::fmt;

/// A file that cannot be read, or not wholly.
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
        Self { path: path.into(), line: 0, column: 0, message: message.into() }
    }

    /// A fault at a byte of the text.
    #[must_use]
    pub fn at(path: &str, text: &str, offset: usize, message: impl Into<String>) -> Self {
        let before = text.get(..offset).unwrap_or(text);
        let line = before.matches('\n').count() + 1;
        let column = before.rsplit('\n').next().map_or(0, |last| last.chars().count()) + 1;
        Self { path: path.into(), line, column, message: message.into() }
    }

    pub(crate) fn from_toml(path: &str, text: &str, error: &toml::de::Error) -> Self {
        match error.span() {
            Some(span) => Self::at(path, text, span.start, error.message()),
            None => Self::whole(path, error.message()),
        }
    }
}
