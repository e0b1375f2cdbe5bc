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
    /// How far each trigger or other axis went.
    pub travels: Vec<Travel>,
}

/// How far an axis went that is no stick's.
#[derive(Clone, PartialEq, Debug)]
pub struct Travel {
    /// Its name.
    pub name: String,
    /// Its ends.
    pub ends: (i32, i32),
    /// From where to where it went; none if it was not moved.
    pub seen: Option<(i32, i32)>,
}

const HEIGHT: f32 = 17.0;
const OUTLINE: f32 = 150.0;
/// Height of an outline with its name, and of a travel.
const OF_STICK: f32 = OUTLINE + 32.0;
const OF_TRAVEL: f32 = 22.0;

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
            let drawn = !self.outlines.is_empty() || !self.travels.is_empty();
            let outlines = if pages.is_empty() && drawn { OUTLINE + 20.0 } else { 0.0 };
            let width = (below.w - outlines - if outlines > 0.0 { 20.0 } else { 0.0 }) / 2.0;
            let rows = (below.h / HEIGHT) as usize;
            let here = left.len().min(2 * rows);
            for (at, line) in left[..here].iter().enumerate() {
                let (column, row) = (at / rows, at % rows);
                let (x, y) = (below.x + column as f32 * width, below.y + row as f32 * HEIGHT);
                draw_line(&mut page, Area { x, y, w: width - 10.0, h: HEIGHT }, line);
            }
            if outlines > 0.0 {
                let mut place = Area { x: below.x + below.w - OUTLINE, w: OUTLINE, h: OUTLINE + 20.0, ..below };
                for (name, points) in self.outlines.iter().take(2) {
                    draw_outline(&mut page, place, name, points);
                    place.y += OF_STICK;
                }
                let room = ((below.y + below.h - place.y) / OF_TRAVEL).max(0.0) as usize;
                for travel in self.travels.iter().take(room) {
                    draw_travel(&mut page, Area { h: OF_TRAVEL, ..place }, travel);
                    place.y += OF_TRAVEL;
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

/// How far an axis went, as a part of its whole travel.
fn draw_travel(page: &mut Page, area: Area, travel: &Travel) {
    page.text(Area { h: 11.0, ..area }, (9.0, 7.0), Weight::Plain, Tone::Ink, &travel.name);
    let bar = Area { y: area.y + 12.0, h: 6.0, ..area };
    page.marks.push(Mark::Box { area: bar, fill: Some(Tone::Pale) });
    let (low, high) = travel.ends;
    let span = (f64::from(high) - f64::from(low)).max(1.0);
    let share = |value: i32| ((f64::from(value) - f64::from(low)) / span).clamp(0.0, 1.0) as f32;
    if let Some((from, to)) = travel.seen {
        let (from, to) = (share(from), share(to));
        let seen = Area { x: bar.x + from * bar.w, w: (to - from).max(0.0) * bar.w, ..bar };
        page.marks.push(Mark::Box { area: seen, fill: Some(Tone::Ink) });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn many_lines_span_pages_and_none_is_lost() {
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
            travels: vec![
                Travel { name: "left trigger".into(), ends: (0, 255), seen: Some((51, 204)) },
                Travel { name: "right trigger".into(), ends: (0, 255), seen: None },
            ],
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
        // Three fifths of its travel are three fifths of its bar, and what was not moved has none.
        let bars: Vec<f32> = pages[0]
            .marks
            .iter()
            .filter_map(|mark| match mark {
                Mark::Box { area, fill: Some(Tone::Ink) } => Some(area.w / OUTLINE),
                _ => None,
            })
            .collect();
        assert!(matches!(bars[..], [bar] if (bar - 0.6).abs() < 1e-3), "{bars:?}");
        assert!(said.contains(&"left trigger".to_owned()) && said.contains(&"right trigger".to_owned()));
        assert!(pages.len() > 1 && (0..150).all(|at| said.contains(&format!("control {at}"))));
    }
}
