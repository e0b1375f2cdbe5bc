//! Which columns the board has at a width, and where they begin.

use mantle_talk::Stage;

/// Smallest screen that everything fits on.
pub const SMALLEST: (u16, u16) = (80, 24);

/// Columns of the board.
#[derive(Clone, Debug)]
pub struct Columns {
    /// The stages shown, each with its first cell and its width.
    pub stages: Vec<(Stage, u16, u16)>,
    /// Width of the column before them.
    pub head: u16,
}

impl Columns {
    /// The columns at a width; narrow screens have fewer, in the same order.
    pub fn at(width: u16) -> Self {
        use Stage::{Bindings, Controls, Device, Feel, Games, Pad, Reports};
        let wanted: &[(Stage, u16)] = match width {
            0..100 => &[(Device, 21), (Reports, 10), (Bindings, 12), (Pad, 13), (Games, 13)],
            100..130 => &[(Device, 22), (Reports, 11), (Controls, 13), (Bindings, 14), (Pad, 16), (Games, 18)],
            _ => &[(Device, 25), (Reports, 16), (Controls, 19), (Bindings, 17), (Feel, 17), (Pad, 22), (Games, 26)],
        };
        let head = if width < 100 { 10 } else { 13 };
        let room = u32::from(width.saturating_sub(head + 1));
        let sum: u32 = wanted.iter().map(|(_, w)| u32::from(*w)).sum();
        let mut at = head;
        let stages = wanted.iter().map(|(stage, weight)| {
            let width = (u32::from(*weight) * room / sum) as u16;
            let first = at;
            at += width;
            (*stage, first, width)
        });
        Self { stages: stages.collect(), head }
    }

    /// The stage shown nearest to one that may not be.
    pub fn nearest(&self, stage: Stage) -> Stage {
        self.stages.iter().map(|(s, ..)| *s).min_by_key(|s| (*s as i32 - stage as i32).abs()).unwrap_or(stage)
    }
}

/// The lines of a text at a width, broken between words.
pub fn wrap(text: &str, width: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in text.split(' ') {
        match lines.last_mut() {
            Some(line) if line.chars().count() + 1 + word.chars().count() <= width => {
                line.push(' ');
                line.push_str(word);
            }
            _ => lines.push(word.to_owned()),
        }
    }
    lines
}
