//! The results of trying a pad, on paper.

use crate::font::Weight;
use crate::page::{Area, Mark, Page, Tone};

/// One thing that was tried.
#[derive(Clone, PartialEq, Debug)]
pub struct ResultLine {
    /// What.
    pub what: String,
    /// Whether it is as it should be; none if that cannot be judged.
    pub passed: Option<bool>,
    /// What was found.
    pub found: String,
}

/// All that was found.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct Results {
    /// The device.
    pub device: String,
    /// The slot and its profile.
    pub slot: String,
    /// Whether everything that plays was seen, and nothing was stuck.
    pub passed: bool,
    /// The verdict in one line.
    pub verdict: String,
    /// Line by line.
    pub lines: Vec<ResultLine>,
    /// The outline of each stick, in shares of full travel, with its name.
    pub outlines: Vec<(String, Vec<(f32, f32)>)>,
}

const HEIGHT: f32 = 17.0;
const OUTLINE: f32 = 170.0;

impl Results {
    /// Lays it out; at least one page.
    #[must_use]
    pub fn pages(&self) -> Vec<Page> {
        let mut pages = Vec::new();
        let mut left = self.lines.as_slice();
        loop {
            let mut page = Page::default();
            let area = page.area();
            let rest = page.text(Area { h: 34.0, ..area }, (24.0, 10.0), Weight::Bold, Tone::Ink, &self.device);
            let line = Area { y: rest.y + 2.0, h: 18.0, ..area };
            page.text(line, (13.0, 8.0), Weight::Plain, Tone::Quiet, &self.slot);
            let verdict = Area { y: line.y + 20.0, h: 22.0, ..area };
            page.text(verdict, (16.0, 9.0), Weight::Bold, Tone::Ink, &self.verdict);
            let below = Area { y: verdict.y + 34.0, h: area.h - (verdict.y + 34.0 - area.y), ..area };
            let outlines = if pages.is_empty() && !self.outlines.is_empty() { OUTLINE + 20.0 } else { 0.0 };
            let width = (below.w - outlines - if outlines > 0.0 { 20.0 } else { 0.0 }) / 2.0;
            let rows = (below.h / HEIGHT) as usize;
            let here = left.len().min(2 * rows);
            for (at, line) in left[..here].iter().enumerate() {
                let (column, row) = (at / rows, at % rows);
                let (x, y) = (below.x + column as f32 * width, below.y + row as f32 * HEIGHT);
                draw_line(&mut page, Area { x, y, w: width - 10.0, h: HEIGHT }, line);
            }
            if outlines > 0.0 {
                for (at, (name, points)) in self.outlines.iter().take(2).enumerate() {
                    let x = below.x + below.w - OUTLINE;
                    let y = below.y + at as f32 * (OUTLINE + 34.0);
                    draw_outline(&mut page, Area { x, y, w: OUTLINE, h: OUTLINE + 20.0 }, name, points);
                }
            }
            pages.push(page);
            left = &left[here..];
            if left.is_empty() {
                return pages;
            }
        }
    }
}

fn draw_line(page: &mut Page, area: Area, line: &ResultLine) {
    let sign = match line.passed {
        Some(true) => "✓",
        Some(false) => "✗",
        None => "–",
    };
    let size = (11.0, 7.0);
    page.text(Area { w: 14.0, ..area }, size, Weight::Bold, Tone::Ink, sign);
    let what = Area { x: area.x + 16.0, w: area.w * 0.42 - 16.0, ..area };
    page.text(what, size, Weight::Plain, Tone::Ink, &line.what);
    let found = Area { x: area.x + area.w * 0.42 + 4.0, w: area.w * 0.58 - 4.0, ..area };
    page.text(found, size, Weight::Plain, Tone::Quiet, &line.found);
}

/// A stick's outline within the ideal circle.
fn draw_outline(page: &mut Page, area: Area, name: &str, points: &[(f32, f32)]) {
    let rest = page.text(Area { h: 16.0, ..area }, (12.0, 8.0), Weight::Bold, Tone::Ink, name);
    let plot = Area { y: rest.y + 2.0, h: OUTLINE, w: OUTLINE, ..area };
    page.marks.push(Mark::Box { area: plot, fill: Some(Tone::Pale) });
    let reach = plot.w / 2.0;
    let at =
        |x: f32, y: f32| (plot.x + reach * (1.0 + x.clamp(-1.0, 1.0)), plot.y + reach * (1.0 + y.clamp(-1.0, 1.0)));
    let circle = (0..=72).map(|step| {
        let angle = step as f32 * std::f32::consts::TAU / 72.0;
        at(angle.cos(), angle.sin())
    });
    page.marks.push(Mark::Lines { points: circle.collect(), tone: Tone::Line, width: 0.6 });
    let outline: Vec<(f32, f32)> = points.iter().chain(points.first()).map(|(x, y)| at(*x, *y)).collect();
    if !points.is_empty() {
        page.marks.push(Mark::Lines { points: outline, tone: Tone::Ink, width: 1.4 });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn many_lines_take_several_pages_and_none_is_lost() {
        let lines = (0..150).map(|at| ResultLine {
            what: format!("control {at}"),
            passed: [Some(true), Some(false), None][at % 3],
            found: "seen to full and back ".repeat(1 + at % 7),
        });
        let circle = (0..36).map(|at| (at as f32 * 0.17).sin_cos()).collect();
        let results = Results {
            device: "Quay pad".into(),
            lines: lines.collect(),
            outlines: vec![("left stick".into(), circle), ("right stick".into(), Vec::new())],
            ..Results::default()
        };
        let pages = results.pages();
        let mut said = Vec::new();
        for page in &pages {
            for mark in &page.marks {
                assert!(page.area().contains(&mark.area()), "{mark:?}");
                if let Mark::Text { text, .. } = mark {
                    said.push(text.clone());
                }
            }
        }
        assert!(pages.len() > 1 && (0..150).all(|at| said.contains(&format!("control {at}"))));
    }
}
