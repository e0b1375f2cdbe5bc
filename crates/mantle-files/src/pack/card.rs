//! A card from a stranger: a picture, and nothing else.

use roxmltree::{Document, Node, ParsingOptions};

/// The elements a card may have.
const ELEMENTS: &[&str] = &[
    "svg", "title", "desc", "g", "defs", "rect", "line", "polyline", "polygon", "circle", "ellipse", "path", "text",
    "tspan", "style",
];
/// The deepest nesting of elements.
const DEPTH: usize = 64;
/// The most nodes.
const NODES: u32 = 20_000;

/// Checks that a picture runs nothing and fetches nothing.
///
/// # Errors
/// In words, what it contains.
pub fn check(text: &str) -> Result<(), String> {
    check_depth(text)?;
    let options = ParsingOptions { allow_dtd: false, nodes_limit: NODES };
    let document = Document::parse_with_options(text, options).map_err(|error| format!("not SVG: {error}"))?;
    if document.root_element().tag_name().name() != "svg" {
        return Err("not SVG: its first element is something else".into());
    }
    document.descendants().try_for_each(check_node)
}

/// Refuses a picture that is nested too deep, since reading it would need as much stack.
fn check_depth(text: &str) -> Result<(), String> {
    let mut depth = 0usize;
    let mut rest = text;
    while let Some(at) = rest.find('<') {
        rest = &rest[at..];
        let passed_over = [("<!--", "-->"), ("<![CDATA[", "]]>"), ("<?", "?>"), ("</", ">")];
        if let Some((begin, end)) = passed_over.iter().find(|(begin, _)| rest.starts_with(begin)) {
            depth = depth.saturating_sub(usize::from(*begin == "</"));
            rest = rest[begin.len()..].split_once(end).map_or("", |(_, behind)| behind);
            continue;
        }
        // A tag ends only outside quotations.
        let mut quote = None;
        let end = rest.bytes().position(|byte| match quote {
            Some(open) => {
                quote = quote.filter(|_| byte != open);
                false
            }
            None if matches!(byte, b'"' | b'\'') => {
                quote = Some(byte);
                false
            }
            None => byte == b'>',
        });
        let Some(end) = end else { return Ok(()) };
        depth += usize::from(!rest[..end].ends_with('/'));
        if depth > DEPTH {
            return Err(format!("its elements are nested more than {DEPTH} deep"));
        }
        rest = &rest[end + 1..];
    }
    Ok(())
}

fn check_node(node: Node<'_, '_>) -> Result<(), String> {
    if node.is_pi() {
        return Err("processing instructions are not allowed in a card".into());
    }
    if !node.is_element() {
        return Ok(());
    }
    let name = node.tag_name().name();
    if !ELEMENTS.contains(&name) {
        return Err(format!("<{name}> is not allowed in a card"));
    }
    for attribute in node.attributes() {
        let (name, value) = (attribute.name(), attribute.value());
        if name.as_bytes().first_chunk::<2>().is_some_and(|first| first.eq_ignore_ascii_case(b"on")) {
            return Err(format!("{name}=\"…\" is not allowed in a card: it would run"));
        }
        if name == "href" || fetches(value) {
            return Err(format!("{name}=\"…\" is not allowed in a card: it would fetch something"));
        }
    }
    match node.text() {
        Some(text) if name == "style" && fetches(text) => Err("its style would fetch something".into()),
        _ => Ok(()),
    }
}

/// Whether a style, or a styling attribute, refers to something outside; an embedded font does not.
fn fetches(style: &str) -> bool {
    let style = style.to_ascii_lowercase();
    // A backslash can hide anything.
    let asks = style.split("url(").skip(1).any(|rest| {
        let place = rest.trim_start_matches(['"', '\'', ' ']);
        !place.starts_with("data:font/") && !place.starts_with('#')
    });
    asks || style.contains("@import") || style.contains('\\')
}
