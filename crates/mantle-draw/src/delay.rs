//! Delays on the way from a device to its pad: how often each time occurred, as bars over a logarithmic scale.

use crate::font::Weight;
use crate::page::{Area, Mark, Page, Tone};
use mantle_core::measure::{SpreadView, took};

/// What was measured.
#[derive(Clone, PartialEq, Debug)]
pub struct Delay {
    /// Whose it is.
    pub title: String,
    /// Each measurement: its name, its result, and anything else to say about it.
    pub measures: Vec<(String, SpreadView, Vec<String>)>,
}

/// Measures on a page.
const A_PAGE: usize = 3;
/// The least span of the scale, in doublings.
const LEAST: f32 = 4.0;

impl Delay {
    /// Lays them out; at least one page.
    #[must_use]
    pub fn pages(&self) -> Vec<Page> {
        if self.measures.is_empty() {
            return vec![self.page(&[])];
        }
        self.measures.chunks(A_PAGE).map(|some| self.page(some)).collect()
    }

    fn page(&self, measures: &[(String, SpreadView, Vec<String>)]) -> Page {
        let mut page = Page::default();
        let area = page.area();
        page.text(Area { h: 34.0, ..area }, (22.0, 10.0), Weight::Bold, Tone::Ink, &self.title);
        let height = (area.h - 50.0) / A_PAGE as f32;
        for (at, measure) in measures.iter().enumerate() {
            let own = Area { y: area.y + 50.0 + at as f32 * height, h: height - 14.0, ..area };
            draw(&mut page, own, measure);
        }
        page
    }
}

/// The place of a time on the scale: its doublings from a microsecond on.
fn doublings(micros: u32) -> f32 {
    (micros.max(1) as f32).log2()
}

fn draw(page: &mut Page, area: Area, (name, spread, more): &(String, SpreadView, Vec<String>)) {
    let words = match spread.count {
        0 => format!("{name}: nothing was measured within the last minute"),
        count => format!(
            "{name}: half within {}, 99 % within {}, longest {} ({count} within the last minute)",
            took(spread.p50),
            took(spread.p99),
            took(spread.most)
        ),
    };
    page.text(Area { h: 18.0, ..area }, (12.0, 7.0), Weight::Bold, Tone::Ink, &words);
    for (at, line) in more.iter().enumerate() {
        let own = Area { y: area.y + 19.0 + 12.0 * at as f32, h: 12.0, ..area };
        page.text(own, (9.0, 5.0), Weight::Plain, Tone::Quiet, line);
    }
    let top = area.y + 22.0 + 12.0 * more.len() as f32;
    let plot = Area { x: area.x, y: top, w: area.w, h: (area.y + area.h - top - 18.0).max(10.0) };
    page.marks.push(Mark::Box { area: plot, fill: Some(Tone::Pale) });
    let (Some((first, _)), Some((last, _))) = (spread.bars.first(), spread.bars.last()) else { return };
    let from = doublings(*first).floor();
    let until = doublings(SpreadView::end_of(*last)).ceil().max(from + LEAST);
    let x = |micros: u32| plot.x + (doublings(micros) - from) / (until - from) * plot.w;
    // The height of a bar grows with the square root of its share, in relation to its width, so that rare times are visible.
    let highest = spread.bars.iter().map(|(_, count)| *count).max().unwrap_or(1) as f32;
    for (begins, count) in &spread.bars {
        let (left, right) = (x(*begins), x(SpreadView::end_of(*begins)).min(plot.x + plot.w));
        let height = (*count as f32 / highest).sqrt() * (plot.h - 4.0);
        let bar = Area {
            x: left,
            y: plot.y + plot.h - height,
            w: (right - left).max(0.8).min(plot.x + plot.w - left),
            h: height,
        };
        page.marks.push(Mark::Box { area: bar, fill: Some(Tone::Line) });
    }
    let steps = (until - from) as u32;
    for step in (0..=steps).step_by(steps.div_ceil(8) as usize) {
        let micros = 1u32 << (from as u32 + step).min(31);
        let at = (plot.x + step as f32 / steps as f32 * plot.w).min(plot.x + plot.w - 40.0);
        let line = Area { x: at, y: plot.y + plot.h + 3.0, w: 40.0, h: 12.0 };
        page.text(line, (8.0, 6.0), Weight::Plain, Tone::Quiet, &took(micros));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_core::measure::Spread;

    #[test]
    fn bars_stay_on_the_page_and_state_the_measurement() {
        let mut delay = Spread::default();
        (0..900).for_each(|_| delay.take(35));
        (0..99).for_each(|at| delay.take(60 + at));
        delay.take(2_900_000);
        let cause = "By radio: \u{1b}[31m".to_owned();
        let measure = |name: &str, spread: &Spread| (name.to_owned(), spread.summary(), vec![cause.clone()]);
        let measures = vec![
            measure("from report to pad", &delay),
            measure("gaps", &Spread::default()),
            measure("three", &delay),
            measure("four", &delay),
        ];
        let pages = Delay { title: "Slot 1".into(), measures }.pages();
        assert_eq!(pages.len(), 2);
        let mut texts = Vec::new();
        for page in &pages {
            for mark in &page.marks {
                assert!(page.area().contains(&mark.area()), "{mark:?}");
                if let Mark::Text { text, .. } = mark {
                    texts.push(text.clone());
                }
            }
        }
        let says = |words: &str| texts.iter().any(|text| text.contains(words));
        assert!(says("from report to pad: half within 35 µs, 99 % within"), "{texts:?}");
        let longest = format!("longest {} (1000 within the last minute)", took(delay.summary().most));
        assert!(says(&longest) && says("gaps: nothing was measured"), "{texts:?}");
        assert!(!says("\u{1b}"), "nothing on paper rules a terminal");
        assert_eq!(Delay { title: "Slot 2".into(), measures: Vec::new() }.pages().len(), 1);
    }
}
