//! How far the axes of a device go: the promised range, the range seen, the calibrated rest and ends, and the noise at rest.

use crate::font::Weight;
use crate::page::{Area, Mark, Page, Tone};

/// One axis, in the device's own numbers.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct AxisRange {
    /// Its name.
    pub name: String,
    /// The lowest and the highest value that the descriptor promises.
    pub promised: (i32, i32),
    /// The lowest and the highest value seen.
    pub seen: Option<(i32, i32)>,
    /// The value at rest, and the noise either way.
    pub rest: Option<(i32, i32)>,
    /// The calibration: lowest, rest, highest.
    pub calibrated: Option<(i32, i32, i32)>,
}

/// The axes of a device.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Ranges {
    /// The heading.
    pub title: String,
    /// The axes.
    pub axes: Vec<AxisRange>,
}

/// Axes on a page of their own.
const A_PAGE: usize = 9;
/// Width of the names.
const NAME: f32 = 120.0;

impl Ranges {
    /// Lays them out; at least one page.
    #[must_use]
    pub fn pages(&self) -> Vec<Page> {
        let some = |axes: &[AxisRange]| {
            let mut page = Page::default();
            let area = page.area();
            let below = page.text(Area { h: 34.0, ..area }, (22.0, 10.0), Weight::Bold, Tone::Ink, &self.title);
            draw(&mut page, Area { y: below.y + 12.0, h: area.y + area.h - below.y - 12.0, ..area }, axes, A_PAGE);
            page
        };
        if self.axes.is_empty() { vec![some(&[])] } else { self.axes.chunks(A_PAGE).map(some).collect() }
    }
}

/// Draws axes into an area that has room for `rows` of them.
pub(crate) fn draw(page: &mut Page, area: Area, axes: &[AxisRange], rows: usize) {
    let words = if axes.is_empty() {
        "It has no axes."
    } else {
        "Grey: promised. Dark: seen. Thin lines: calibrated lowest, rest and highest. Dot: rest, as wide as its noise."
    };
    let legend = Area { h: 14.0, ..area };
    page.text(legend, (9.0, 5.0), Weight::Plain, Tone::Quiet, words);
    let height = (area.h - 16.0) / rows.max(1) as f32;
    for (at, axis) in axes.iter().take(rows).enumerate() {
        one(page, Area { y: area.y + 16.0 + at as f32 * height, h: height, ..area }, axis);
    }
}

fn one(page: &mut Page, area: Area, axis: &AxisRange) {
    let name = Area { w: NAME - 8.0, h: 16.0_f32.min(area.h), ..area };
    page.text(name, (11.0, 6.0), Weight::Bold, Tone::Ink, &axis.name);
    let bar = Area { x: area.x + NAME, y: area.y + 2.0, w: area.w - NAME, h: (area.h - 24.0).clamp(4.0, 14.0) };
    page.marks.push(Mark::Box { area: bar, fill: Some(Tone::Pale) });
    let (low, high) = (f64::from(axis.promised.0), f64::from(axis.promised.1));
    let x = |raw: i32| {
        let share = (f64::from(raw) - low) / (high - low).max(1.0);
        bar.x + share.clamp(0.0, 1.0) as f32 * bar.w
    };
    if let Some((from, to)) = axis.seen {
        let seen = Area { x: x(from), y: bar.y + bar.h * 0.25, w: (x(to) - x(from)).max(0.5), h: bar.h * 0.5 };
        let seen = Area { w: seen.w.min(bar.x + bar.w - seen.x), ..seen };
        page.marks.push(Mark::Box { area: seen, fill: Some(Tone::Line) });
    }
    if let Some((lowest, rest, highest)) = axis.calibrated {
        for raw in [lowest, rest, highest] {
            let points = vec![(x(raw), bar.y), (x(raw), bar.y + bar.h)];
            page.marks.push(Mark::Lines { points, tone: Tone::Ink, width: 1.0 });
        }
    }
    if let Some((rest, noise)) = axis.rest {
        let wide = (x(rest.saturating_add(noise)) - x(rest)).max(x(rest) - x(rest.saturating_sub(noise)));
        let radius = wide.clamp(1.5, bar.h / 2.0);
        let at = x(rest).clamp(bar.x + radius, bar.x + bar.w - radius);
        page.marks.push(Mark::Dot { at: (at, bar.y + bar.h / 2.0), radius, tone: Tone::Ink });
    }
    let line = Area { y: bar.y + bar.h + 2.0, h: (area.y + area.h - bar.y - bar.h - 3.0).max(1.0), ..bar };
    page.text(line, (9.0, 5.0), Weight::Plain, Tone::Quiet, &axis.words());
}

impl AxisRange {
    /// The figures in words.
    #[must_use]
    pub fn words(&self) -> String {
        let (low, high) = self.promised;
        let mut words = format!("promised {low} to {high}");
        match self.seen {
            Some((from, to)) => words.push_str(&format!(", seen {from} to {to}")),
            None => words.push_str(", not moved yet"),
        }
        if let Some((rest, noise)) = self.rest {
            words.push_str(&format!(", rests at {rest} ± {noise}"));
        }
        if let Some((lowest, rest, highest)) = self.calibrated {
            words.push_str(&format!(", calibrated {lowest} / {rest} / {highest}"));
        }
        words
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_mark_stays_on_the_page_for_any_values() {
        let axis = |promised, seen, rest, calibrated| AxisRange {
            name: "left stick X".into(),
            promised,
            seen,
            rest,
            calibrated,
        };
        let odd = [
            axis((0, 255), Some((3, 250)), Some((131, 2)), Some((3, 131, 250))),
            axis((0, 0), Some((i32::MIN, i32::MAX)), Some((i32::MAX, i32::MAX)), Some((i32::MIN, 0, i32::MAX))),
            axis((i32::MIN, i32::MAX), None, Some((i32::MIN, 7)), None),
            axis((5, -5), Some((9, 1)), None, None),
        ];
        let axes: Vec<AxisRange> = odd.iter().cycle().take(20).cloned().collect();
        let pages = Ranges { title: "Quay pad: axes".into(), axes }.pages();
        assert_eq!(pages.len(), 3);
        for page in &pages {
            for mark in &page.marks {
                assert!(page.area().contains(&mark.area()), "{mark:?}");
            }
        }
        let said = |words: &str| {
            pages[0].marks.iter().any(|mark| matches!(mark, Mark::Text { text, .. } if text.contains(words)))
        };
        assert!(said("promised 0 to 255, seen 3 to 250, rests at 131 ± 2, calibrated 3 / 131 / 250"));
        assert_eq!(Ranges::default().pages().len(), 1);
    }
}
