//! YAML as far as recordings need it: a tree with line numbers, bounded in depth and size, without anchors.

use saphyr_parser::{Event, Parser, Span};
use std::borrow::Cow;

/// The deepest nesting.
const DEPTH: usize = 16;

/// A value, and the line on which it begins.
#[derive(Clone, PartialEq, Debug)]
pub(super) struct Node {
    /// The line, from 1.
    pub line: usize,
    /// The value.
    pub value: Value,
}

#[derive(Clone, PartialEq, Debug)]
pub(super) enum Value {
    Text(String),
    List(Vec<Node>),
    Map(Vec<(String, Node)>),
}

impl Node {
    pub fn get(&self, key: &str) -> Option<&Node> {
        match &self.value {
            Value::Map(pairs) => pairs.iter().find(|(name, _)| name == key).map(|(_, node)| node),
            _ => None,
        }
    }

    pub fn list(&self) -> &[Node] {
        match &self.value {
            Value::List(list) => list,
            _ => &[],
        }
    }

    pub fn map(&self) -> &[(String, Node)] {
        match &self.value {
            Value::Map(pairs) => pairs,
            _ => &[],
        }
    }

    pub fn text(&self) -> Option<&str> {
        match &self.value {
            Value::Text(text) => Some(text),
            _ => None,
        }
    }

    /// An integer, decimal or hex with `0x`.
    pub fn number(&self) -> Option<i64> {
        let text = self.text()?;
        match text.strip_prefix("0x") {
            Some(hex) => i64::from_str_radix(hex, 16).ok(),
            None => text.parse().ok(),
        }
    }

    pub fn numbers(&self) -> Option<Vec<i64>> {
        self.list().iter().map(Node::number).collect()
    }
}

/// A collection that is still open.
enum Open {
    List(usize, Vec<Node>),
    Map(usize, Vec<(String, Node)>, Option<String>),
}

/// Reads the first document. A truncated file gives what is there, and the message of what stopped it.
pub(super) fn read(text: &str) -> (Option<Node>, Option<(usize, String)>) {
    let mut open: Vec<Open> = Vec::new();
    let mut whole = None;
    let mut fault = None;
    let mut last = 1;
    for step in Parser::new_from_str(text) {
        let (event, span) = match step {
            Ok(step) => step,
            Err(error) => {
                fault = Some((error.marker().line(), error.info().to_owned()));
                break;
            }
        };
        last = line_of(&span);
        match handle(&mut open, event, last) {
            Ok(Some(node)) => {
                whole = Some(node);
                break;
            }
            Ok(None) => {}
            Err(message) => {
                fault = Some((last, message));
                break;
            }
        }
    }
    // Open collections are closed here; their last item may be missing.
    while let Some(top) = open.pop() {
        let node = close(top);
        match put(&mut open, node) {
            Ok(Some(node)) => whole = Some(node),
            Ok(None) => {}
            Err(message) => fault = fault.or(Some((last, message))),
        }
    }
    (whole, fault)
}

fn line_of(span: &Span) -> usize {
    span.start.line()
}

fn handle(open: &mut Vec<Open>, event: Event<'_>, line: usize) -> Result<Option<Node>, String> {
    match event {
        Event::SequenceStart(..) | Event::MappingStart(..) if open.len() == DEPTH => {
            Err(format!("deeper than {DEPTH} levels"))
        }
        Event::SequenceStart(..) => {
            open.push(Open::List(line, Vec::new()));
            Ok(None)
        }
        Event::MappingStart(..) => {
            open.push(Open::Map(line, Vec::new(), None));
            Ok(None)
        }
        Event::SequenceEnd | Event::MappingEnd => match open.pop() {
            Some(top) => put(open, close(top)),
            None => Ok(None),
        },
        Event::Scalar(text, ..) => scalar(open, text, line),
        Event::Alias(_) => Err("anchors and aliases are not read".into()),
        _ => Ok(None),
    }
}

fn scalar(open: &mut [Open], text: Cow<'_, str>, line: usize) -> Result<Option<Node>, String> {
    if let Some(Open::Map(_, _, key @ None)) = open.last_mut() {
        *key = Some(text.into_owned());
        return Ok(None);
    }
    put(open, Node { line, value: Value::Text(text.into_owned()) })
}

fn close(top: Open) -> Node {
    match top {
        Open::List(line, list) => Node { line, value: Value::List(list) },
        Open::Map(line, pairs, _) => Node { line, value: Value::Map(pairs) },
    }
}

/// Puts a value where it belongs; returns it if it is the whole document.
fn put(open: &mut [Open], node: Node) -> Result<Option<Node>, String> {
    match open.last_mut() {
        Some(Open::List(_, list)) => list.push(node),
        Some(Open::Map(_, pairs, key)) => match key.take() {
            Some(key) => pairs.push((key, node)),
            None => return Err("a list or a map cannot be a key here".into()),
        },
        None => return Ok(Some(node)),
    }
    Ok(None)
}
