//! A page: a list of what is where. In points, from the upper left corner, to the right and down.

use crate::font::{Weight, width};
use mantle_core::visible::visible;

/// A rectangle.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Area {
    /// Its left side.
    pub x: f32,
    /// Its upper side.
    pub y: f32,
    /// Its width.
    pub w: f32,
    /// Its height.
    pub h: f32,
}

impl Area {
    /// What is left of it inside a margin on all sides.
    #[must_use]
    pub fn inside(self, margin: f32) -> Self {
        Self { x: self.x + margin, y: self.y + margin, w: self.w - 2.0 * margin, h: self.h - 2.0 * margin }
    }

    /// Whether another one is completely within it.
    #[must_use]
    pub fn contains(&self, other: &Self) -> bool {
        const NEARLY: f32 = 0.01;
        other.x >= self.x - NEARLY
            && other.y >= self.y - NEARLY
            && other.x + other.w <= self.x + self.w + NEARLY
            && other.y + other.h <= self.y + self.h + NEARLY
    }

    /// Whether another one overlaps it.
    #[must_use]
    pub fn overlaps(&self, other: &Self) -> bool {
        self.x < other.x + other.w
            && other.x < self.x + self.w
            && self.y < other.y + other.h
            && other.y < self.y + self.h
    }
}

/// How dark something is.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Tone {
    /// Text, and what counts.
    Ink,
    /// What explains.
    Quiet,
    /// Lines around things.
    Line,
    /// Behind things.
    Pale,
}

impl Tone {
    /// Its grey, 0 black to 1 white, since paper is copied on machines that know nothing else.
    #[must_use]
    pub fn grey(self) -> f32 {
        match self {
            Self::Ink => 0.0,
            Self::Quiet => 0.35,
            Self::Line => 0.6,
            Self::Pale => 0.94,
        }
    }
}

/// Something on a page.
#[derive(Clone, PartialEq, Debug)]
pub enum Mark {
    /// A box with a line around it, filled or not.
    Box {
        /// Where.
        area: Area,
        /// What fills it.
        fill: Option<Tone>,
    },
    /// Lines from point to point.
    Lines {
        /// The points.
        points: Vec<(f32, f32)>,
        /// How dark.
        tone: Tone,
        /// How wide.
        width: f32,
    },
    /// A dot.
    Dot {
        /// Its middle.
        at: (f32, f32),
        /// Half its width.
        radius: f32,
        /// How dark.
        tone: Tone,
    },
    /// A line of text.
    Text {
        /// Its left end, on the baseline.
        at: (f32, f32),
        /// The size of the letters.
        size: f32,
        /// How heavy they are.
        weight: Weight,
        /// How dark.
        tone: Tone,
        /// The words.
        text: String,
    },
}

/// Above and below the baseline, as shares of the size.
const ABOVE: f32 = 0.93;
const BELOW: f32 = 0.24;

impl Mark {
    /// The rectangle that it fills.
    #[must_use]
    pub fn area(&self) -> Area {
        match self {
            Self::Box { area, .. } => *area,
            Self::Dot { at: (x, y), radius, .. } => {
                Area { x: x - radius, y: y - radius, w: 2.0 * radius, h: 2.0 * radius }
            }
            Self::Text { at: (x, y), size, weight, text, .. } => {
                Area { x: *x, y: y - ABOVE * size, w: width(*weight, *size, text), h: (ABOVE + BELOW) * size }
            }
            Self::Lines { points, .. } => {
                let fold = |from: f32, pick: fn(f32, f32) -> f32, of: fn(&(f32, f32)) -> f32| {
                    points.iter().map(of).fold(from, pick)
                };
                let (x, y) = (fold(f32::MAX, f32::min, |p| p.0), fold(f32::MAX, f32::min, |p| p.1));
                Area { x, y, w: fold(0.0, f32::max, |p| p.0) - x, h: fold(0.0, f32::max, |p| p.1) - y }
            }
        }
    }
}

/// One page.
#[derive(Clone, PartialEq, Debug)]
pub struct Page {
    /// Its width and height: A4 landscape.
    pub size: (f32, f32),
    /// Its contents, from back to front.
    pub marks: Vec<Mark>,
}

/// A4, on its side.
const SIZE: (f32, f32) = (841.89, 595.28);
/// What printers leave free.
pub(crate) const MARGIN: f32 = 34.0;

impl Default for Page {
    fn default() -> Self {
        Self { size: SIZE, marks: Vec::new() }
    }
}

impl Page {
    /// All of it but the margin.
    #[must_use]
    pub fn area(&self) -> Area {
        Area { x: 0.0, y: 0.0, w: self.size.0, h: self.size.1 }.inside(MARGIN)
    }

    /// Puts a line of text at the top of an area: in the given size, smaller if it would not fit, and cut off with dots if it would be smaller than
    /// `least`. Returns what is left of the area below it.
    pub(crate) fn text(&mut self, area: Area, sizes: (f32, f32), weight: Weight, tone: Tone, text: &str) -> Area {
        let (most, least) = sizes;
        let text = &*visible(text.trim());
        let far = width(weight, most, text);
        let size = if far <= area.w { most } else { (most * area.w / far * 0.999).max(least) };
        // Slightly less than all of it: two that touch do not overlap.
        let size = size.min(area.h / (ABOVE + BELOW) * 0.999).max(0.1);
        let text = cut(weight, size, area.w, text);
        let height = (ABOVE + BELOW) * size;
        if !text.is_empty() {
            self.marks.push(Mark::Text { at: (area.x, area.y + ABOVE * size), size, weight, tone, text });
        }
        Area { y: area.y + height, h: (area.h - height).max(0.0), ..area }
    }
}

/// As much of a text as fits, followed by dots if that is not all.
fn cut(weight: Weight, size: f32, room: f32, text: &str) -> String {
    if width(weight, size, text) <= room {
        return text.to_owned();
    }
    let room = room - width(weight, size, "…");
    let (mut out, mut far) = (String::new(), 0.0);
    for letter in text.chars() {
        far += width(weight, size, letter.encode_utf8(&mut [0; 4]));
        if far > room {
            return if room < 0.0 { String::new() } else { out.trim_end().to_owned() + "…" };
        }
        out.push(letter);
    }
    String::new()
}
