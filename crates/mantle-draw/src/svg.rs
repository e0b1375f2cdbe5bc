//! A page as SVG.

use crate::font::{Weight, width};
use crate::page::{Mark, Page};
use std::fmt::Write;

/// A page as SVG 1.1. Its text is text; if the font is missing, another one takes its place, with the same width.
#[must_use]
pub fn svg(page: &Page) -> String {
    let (w, h) = page.size;
    let mut out = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{w}pt\" height=\"{h}pt\" viewBox=\"0 0 {w} {h}\" \
         font-family=\"'DejaVu Sans Condensed', 'DejaVu Sans', sans-serif\">\n<rect width=\"{w}\" height=\"{h}\" fill=\"#fff\"/>\n"
    );
    for mark in &page.marks {
        let line = match mark {
            Mark::Box { area, fill } => {
                let fill = fill.map_or("none".into(), |tone| shade(tone.grey()));
                format!(
                    "<rect x=\"{:.2}\" y=\"{:.2}\" width=\"{:.2}\" height=\"{:.2}\" fill=\"{fill}\" stroke=\"{}\" \
                     stroke-width=\"0.8\"/>",
                    area.x,
                    area.y,
                    area.w,
                    area.h,
                    shade(crate::Tone::Line.grey())
                )
            }
            Mark::Lines { points, tone, width } => {
                let points: Vec<String> = points.iter().map(|(x, y)| format!("{x:.2},{y:.2}")).collect();
                format!(
                    "<polyline points=\"{}\" fill=\"none\" stroke=\"{}\" stroke-width=\"{width}\" stroke-linejoin=\"round\"/>",
                    points.join(" "),
                    shade(tone.grey())
                )
            }
            Mark::Dot { at: (x, y), radius, tone } => {
                format!("<circle cx=\"{x:.2}\" cy=\"{y:.2}\" r=\"{radius}\" fill=\"{}\"/>", shade(tone.grey()))
            }
            Mark::Text { at: (x, y), size, weight, tone, text } => {
                let far = width(*weight, *size, text);
                let bold = if *weight == Weight::Bold { " font-weight=\"bold\"" } else { "" };
                format!(
                    "<text x=\"{x:.2}\" y=\"{y:.2}\" font-size=\"{size:.2}\" fill=\"{}\"{bold} textLength=\"{far:.2}\" \
                     lengthAdjust=\"spacingAndGlyphs\">{}</text>",
                    shade(tone.grey()),
                    escaped(text)
                )
            }
        };
        let _ = writeln!(out, "{line}");
    }
    out + "</svg>\n"
}

fn shade(grey: f32) -> String {
    let byte = (grey * 255.0).round() as u8;
    format!("#{byte:02x}{byte:02x}{byte:02x}")
}

/// Text as allowed between tags; what XML cannot contain becomes a space.
fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for letter in text.chars() {
        match letter {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            letter if letter.is_control() || matches!(letter, '\u{fffe}' | '\u{ffff}') => out.push(' '),
            letter => out.push(letter),
        }
    }
    out
}
