//! The response curves of a feel: for each stick and trigger what comes out for what goes in.

use crate::font::Weight;
use crate::page::{Area, Mark, Page, Tone};
use mantle_core::feel::{Feel, Knob, Shape, Shaped};

/// What stands on the page.
#[derive(Clone, PartialEq, Debug)]
pub struct Curves {
    /// The profile.
    pub profile: String,
    /// Its feel.
    pub feel: Feel,
}

/// Steps of a curve.
const STEPS: usize = 120;

impl Curves {
    /// Lays them out on one page.
    #[must_use]
    pub fn page(&self) -> Page {
        let mut page = Page::default();
        let area = page.area();
        let title = format!("{}: how sticks and triggers feel", self.profile);
        page.text(Area { h: 34.0, ..area }, (22.0, 10.0), Weight::Bold, Tone::Ink, &title);
        let shown = Shaped::ALL.into_iter().filter(|which| !which.is_axis() || self.feel.is_own(*which));
        let shown: Vec<Shaped> = shown.collect();
        let count = shown.len() as f32;
        let gap = 64.0 / count;
        let width = (area.w - (count - 1.0) * gap) / count;
        for (at, which) in shown.into_iter().enumerate() {
            let x = area.x + at as f32 * (width + gap);
            let column = Area { x, y: area.y + 50.0, w: width, h: area.h - 50.0 };
            draw(&mut page, column, which, self.feel.of(which));
        }
        page
    }
}

fn draw(page: &mut Page, area: Area, which: Shaped, shape: &Shape) {
    let rest = page.text(Area { h: 22.0, ..area }, (15.0, 9.0), Weight::Bold, Tone::Ink, which.name());
    let plot = Area { y: rest.y + 6.0, h: area.w, ..area };
    page.marks.push(Mark::Box { area: plot, fill: Some(Tone::Pale) });
    let at = |x: f32, y: f32| (plot.x + x * plot.w, plot.y + plot.h - y.clamp(0.0, 1.0) * plot.h);
    for quarter in 1..4 {
        let share = quarter as f32 / 4.0;
        for points in [[at(share, 0.0), at(share, 1.0)], [at(0.0, share), at(1.0, share)]] {
            page.marks.push(Mark::Lines { points: points.to_vec(), tone: Tone::Line, width: 0.3 });
        }
    }
    page.marks.push(Mark::Lines { points: vec![at(0.0, 0.0), at(1.0, 1.0)], tone: Tone::Line, width: 0.6 });
    let points = (0..=STEPS).map(|step| {
        let share = step as f32 / STEPS as f32;
        at(share, shape.at(share))
    });
    page.marks.push(Mark::Lines { points: points.collect(), tone: Tone::Ink, width: 1.6 });
    for (x, _) in shape.curve.points() {
        let (dead, outer) = (shape.dead_zone, 1.0 - shape.outer);
        let share = dead + x * (outer - dead);
        page.marks.push(Mark::Dot { at: at(share, shape.at(share)), radius: 2.4, tone: Tone::Ink });
    }
    let mut line = Area { y: plot.y + plot.h + 6.0, h: 14.0, ..area };
    page.text(line, (9.0, 7.0), Weight::Plain, Tone::Quiet, "in, to the right; out, upwards; both 0 to 1");
    let knobs = Knob::of(which, shape).into_iter().filter(|knob| !matches!(knob, Knob::Point(_)));
    for knob in knobs {
        line.y += 15.0;
        let text = format!("{}: {}", knob.name(), knob.value(shape));
        page.text(line, (11.0, 7.0), Weight::Plain, Tone::Ink, &text);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn curves_and_what_they_are_made_of_stay_on_their_page() {
        let mut feel = Feel::plain(0.1, 0.0);
        feel.of_mut(Shaped::LeftStick).sensitivity = 5.0;
        feel.of_mut(Shaped::RightTrigger).minimum = 0.4;
        for axis in [Shaped::LeftX, Shaped::LeftY, Shaped::RightX, Shaped::RightY] {
            feel.of_mut(axis).dead_zone = 0.2;
        }
        let page = Curves { profile: "crane".into(), feel }.page();
        assert!(page.marks.iter().all(|mark| page.area().contains(&mark.area())));
        let says = |words: &str| page.marks.iter().any(|mark| matches!(mark, Mark::Text { text, .. } if text == words));
        assert!(
            says("left stick")
                && says("right stick Y")
                && says("dead zone: 0.20")
                && says("sensitivity: × 5.00")
                && says("minimum output: 0.40")
        );
    }
}
