//! The report of a device, on two pages: what it is and how healthy it is; what it plays.

use crate::font::Weight;
use crate::page::{Area, Page, Tone};
use crate::ranges::{self, AxisRange};

/// Everything that a technician hands to the owner of a device.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct DeviceReport {
    /// The device's name.
    pub name: String,
    /// What it is: labels and values.
    pub facts: Vec<(String, String)>,
    /// How healthy it is: whether each finding is good, and the finding.
    pub health: Vec<(Option<bool>, String)>,
    /// Its axes.
    pub axes: Vec<AxisRange>,
    /// The player it belongs to, in words.
    pub plays_as: String,
    /// What each control plays; empty if nothing.
    pub plays: Vec<(String, String)>,
}

/// Axes that are drawn; further ones are counted.
const AXES: usize = 8;
/// Rows of a column of what it plays, and columns.
const ROWS: usize = 26;
const COLUMNS: usize = 3;

impl DeviceReport {
    /// Its two pages.
    #[must_use]
    pub fn pages(&self) -> [Page; 2] {
        [self.first(), self.second()]
    }

    fn first(&self) -> Page {
        let mut page = Page::default();
        let area = page.area();
        let below = page.text(Area { h: 34.0, ..area }, (22.0, 10.0), Weight::Bold, Tone::Ink, &self.name);
        let below = Area { y: below.y + 4.0, ..below };
        let half = (area.w - 24.0) / 2.0;
        let room = 15.0 * self.facts.len().max(self.health.len()).min(12) as f32 + 22.0;
        let (left, right) =
            (Area { w: half, h: room, ..below }, Area { x: area.x + half + 24.0, w: half, h: room, ..below });
        let facts = self.facts.iter().map(|(label, value)| (label.as_str(), value.as_str()));
        list(&mut page, left, "What it is", facts);
        let sign = |good: &Option<bool>| match good {
            Some(true) => "good",
            Some(false) => "look at",
            None => "–",
        };
        let health = self.health.iter().map(|(good, words)| (sign(good), words.as_str()));
        list(&mut page, right, "How healthy it is", health);
        let top = below.y + room + 10.0;
        let axes = Area { y: top, h: area.y + area.h - top, ..area };
        let more = self.axes.len().saturating_sub(AXES);
        let heading = if more == 0 {
            "How far its axes go".to_owned()
        } else {
            format!("How far its axes go ({more} more are not drawn)")
        };
        let rest = page.text(Area { h: 18.0, ..axes }, (12.0, 7.0), Weight::Bold, Tone::Ink, &heading);
        let plot = Area { y: rest.y + 2.0, h: axes.y + axes.h - rest.y - 2.0, ..axes };
        ranges::draw(&mut page, plot, &self.axes, AXES);
        page
    }

    fn second(&self) -> Page {
        let mut page = Page::default();
        let area = page.area();
        let below = page.text(
            Area { h: 34.0, ..area },
            (22.0, 10.0),
            Weight::Bold,
            Tone::Ink,
            &format!("{}: what it plays", self.name),
        );
        let below = page.text(
            Area { y: below.y + 2.0, h: 20.0, ..below },
            (11.0, 6.0),
            Weight::Plain,
            Tone::Quiet,
            &self.plays_as,
        );
        let top = below.y + 8.0;
        let width = (area.w - 20.0 * (COLUMNS as f32 - 1.0)) / COLUMNS as f32;
        let height = (area.y + area.h - top) / ROWS as f32;
        let most = ROWS * COLUMNS;
        let shown = if self.plays.len() > most { most - 1 } else { self.plays.len() };
        let mut rows: Vec<(String, String)> = self.plays[..shown].to_vec();
        if shown < self.plays.len() {
            rows.push((format!("and {} more", self.plays.len() - shown), String::new()));
        }
        for (at, (control, plays)) in rows.iter().enumerate() {
            let x = area.x + (at / ROWS) as f32 * (width + 20.0);
            let y = top + (at % ROWS) as f32 * height;
            let name = Area { x, y, w: width * 0.45 - 6.0, h: height };
            page.text(name, (11.0, 5.0), Weight::Plain, Tone::Quiet, control);
            let played = Area { x: x + width * 0.45, y, w: width * 0.55, h: height };
            let (weight, words) =
                if plays.is_empty() { (Weight::Plain, "nothing") } else { (Weight::Bold, plays.as_str()) };
            page.text(played, (11.0, 5.0), weight, Tone::Ink, words);
        }
        page
    }
}

/// A heading with labels and values below it, as far as there is room.
fn list<'a>(page: &mut Page, area: Area, heading: &str, rows: impl Iterator<Item = (&'a str, &'a str)>) {
    page.text(Area { h: 18.0, ..area }, (12.0, 7.0), Weight::Bold, Tone::Ink, heading);
    for (at, (label, value)) in rows.enumerate() {
        let row = Area { y: area.y + 20.0 + 15.0 * at as f32, h: 14.0, ..area };
        if row.y + row.h > area.y + area.h {
            return;
        }
        page.text(Area { w: 78.0, ..row }, (10.0, 5.0), Weight::Plain, Tone::Quiet, label);
        page.text(Area { x: row.x + 84.0, w: row.w - 84.0, ..row }, (10.0, 5.0), Weight::Plain, Tone::Ink, value);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::page::Mark;
    use proptest::prelude::*;

    fn assert_whole(report: &DeviceReport) {
        for page in report.pages() {
            let texts: Vec<Area> =
                page.marks.iter().filter(|mark| matches!(mark, Mark::Text { .. })).map(Mark::area).collect();
            for mark in &page.marks {
                assert!(page.area().contains(&mark.area()), "{mark:?}");
            }
            for (at, one) in texts.iter().enumerate() {
                assert!(texts[at + 1..].iter().all(|other| !one.overlaps(other)), "{one:?}");
            }
        }
    }

    proptest! {
        #[test]
        fn nothing_overlaps_or_leaves_its_page(
            name in "\\PC{0,60}", words in proptest::collection::vec(("\\PC{0,40}", "\\PC{0,90}"), 0..90), axes in 0usize..20,
        ) {
            let axis = AxisRange { name: name.clone(), promised: (0, 255), seen: Some((2, 200)), rest: Some((120, 3)), calibrated: None };
            assert_whole(&DeviceReport {
                name: name.clone(),
                facts: words.clone(),
                health: words.iter().map(|(_, words)| (Some(words.len() % 2 == 0), words.clone())).collect(),
                axes: vec![axis; axes],
                plays_as: name,
                plays: words,
            });
        }
    }
}
