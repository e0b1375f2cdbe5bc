//! The response curves of a feel: for each stick and trigger the output for each input.

use crate::font::Weight;
use crate::page::{Area, Mark, Page, Tone};
use mantle_core::feel::{Feel, Knob, Shaped};
use mantle_core::pad::PadModel;

/// What stands on the pages.
#[derive(Clone, PartialEq, Debug)]
pub struct Curves {
    /// The profile.
    pub profile: String,
    /// Its feel.
    pub feel: Feel,
    /// The pad, which says what can be shaped and what it is called.
    pub model: PadModel,
}

/// Steps of a curve.
const STEPS: usize = 120;
/// The smallest plane that is drawn.
const PLANE: f32 = 60.0;
/// The radius of a dot.
const DOT: f32 = 2.4;
/// How many are side by side at most.
const A_PAGE: usize = 8;
/// If there are more, this many are on a page.
const OF_MANY: usize = 5;

impl Curves {
    /// Lays them out; at least one page.
    #[must_use]
    pub fn pages(&self) -> Vec<Page> {
        let shown = Shaped::of(&self.model).into_iter().filter(|which| !which.is_axis() || self.feel.is_own(*which));
        let shown: Vec<Shaped> = shown.collect();
        let a_page = if shown.len() > A_PAGE { OF_MANY } else { A_PAGE };
        if shown.is_empty() {
            return vec![self.page(&[], 1)];
        }
        // The columns of the last page are as wide as the others.
        let columns = shown.len().min(a_page);
        shown.chunks(a_page).map(|shown| self.page(shown, columns)).collect()
    }

    fn page(&self, shown: &[Shaped], columns: usize) -> Page {
        let mut page = Page::default();
        let area = page.area();
        let what = match shown.is_empty() {
            true => "there is no pad, and no feel",
            false if self.model.names.is_empty() => "how sticks and triggers feel",
            false => "how its axes feel",
        };
        let title = format!("{}: {what}", self.profile);
        page.text(Area { h: 34.0, ..area }, (22.0, 10.0), Weight::Bold, Tone::Ink, &title);
        let gap = 64.0 / columns as f32;
        let width = (area.w - (columns as f32 - 1.0) * gap) / columns as f32;
        for (at, which) in shown.iter().enumerate() {
            let x = area.x + at as f32 * (width + gap);
            let column = Area { x, y: area.y + 50.0, w: width, h: area.h - 50.0 };
            draw(&mut page, column, (*which, &which.name_on(&self.model)), &self.feel);
        }
        page
    }
}

fn draw(page: &mut Page, area: Area, (which, name): (Shaped, &str), feel: &Feel) {
    let shape = feel.of(which);
    let rest = page.text(Area { h: 22.0, ..area }, (15.0, 9.0), Weight::Bold, Tone::Ink, name);
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
        page.marks.push(Mark::Dot { at: at(share, shape.at(share)), radius: DOT, tone: Tone::Ink });
    }
    let mut line = Area { y: plot.y + plot.h + 6.0, h: 14.0, ..area };
    page.text(line, (9.0, 7.0), Weight::Plain, Tone::Quiet, "input to the right, output upwards; both 0 to 100 %");
    let knobs = Knob::of(which, shape).into_iter().filter(|knob| !matches!(knob, Knob::Point(_)));
    for knob in knobs {
        line.y += 15.0;
        let text = format!("{}: {}", knob.name(), knob.value(shape));
        page.text(line, (11.0, 7.0), Weight::Plain, Tone::Ink, &text);
    }
    let top = line.y + 20.0;
    let side = (area.y + area.h - top - 16.0).min(area.w);
    if which.is_stick() && side >= PLANE {
        draw_plane(page, Area { y: top, w: side, h: side, ..area }, which, feel);
        let words = Area { y: top + side + 3.0, h: 12.0, ..area };
        page.text(
            words,
            (9.0, 7.0),
            Weight::Plain,
            Tone::Quiet,
            "where circles at 25 to 100 % and the corners come out",
        );
    }
}

/// What comes out of a stick for circles of input, and for the edge of a square.
fn draw_plane(page: &mut Page, plot: Area, which: Shaped, feel: &Feel) {
    page.marks.push(Mark::Box { area: plot, fill: Some(Tone::Pale) });
    // What stands at its edge stays on it.
    let (half, reach) = (plot.w / 2.0, plot.w / 2.0 - DOT);
    let at = |x: f32, y: f32| {
        let out = match which {
            Shaped::RightStick => {
                let lanes = feel.shape(&[0.0, 0.0, x, y, 0.0, 0.0, 0.0, 0.0]);
                [lanes[2], lanes[3]]
            }
            _ => feel.stick(x, y),
        };
        let [x, y] = out.map(|value| (value as f32 / 32767.0).clamp(-1.0, 1.0));
        (plot.x + half + reach * x, plot.y + half + reach * y)
    };
    for middle in [[(0.0, -1.0), (0.0, 1.0)], [(-1.0, 0.0), (1.0, 0.0)]] {
        let points = middle.map(|(x, y)| (plot.x + half + reach * x, plot.y + half + reach * y));
        page.marks.push(Mark::Lines { points: points.to_vec(), tone: Tone::Line, width: 0.3 });
    }
    for quarter in 1..=4 {
        let radius = quarter as f32 / 4.0;
        let circle = (0..=STEPS).map(|step| {
            let angle = step as f32 * std::f32::consts::TAU / STEPS as f32;
            at(radius * angle.cos(), radius * angle.sin())
        });
        let width = if quarter == 4 { 1.4 } else { 0.6 };
        page.marks.push(Mark::Lines { points: circle.collect(), tone: Tone::Ink, width });
    }
    let corners = [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)];
    for (x, y) in corners {
        page.marks.push(Mark::Dot { at: at(x, y), radius: DOT, tone: Tone::Ink });
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_core::pad::FlightShape;

    #[test]
    fn curves_and_their_settings_stay_on_the_page() {
        let mut feel = Feel::plain(0.1, 0.0);
        feel.of_mut(Shaped::LeftStick).sensitivity = 5.0;
        feel.of_mut(Shaped::RightTrigger).minimum = 0.4;
        for axis in [Shaped::LeftX, Shaped::LeftY, Shaped::RightX, Shaped::RightY] {
            feel.of_mut(axis).dead_zone = 0.2;
        }
        let pages = Curves { profile: "crane".into(), feel, model: PadModel::common() }.pages();
        let [page] = pages.as_slice() else { panic!("{} pages", pages.len()) };
        assert!(page.marks.iter().all(|mark| page.area().contains(&mark.area())));
        let says = |words: &str| page.marks.iter().any(|mark| matches!(mark, Mark::Text { text, .. } if text == words));
        assert!(
            says("left stick")
                && says("right stick Y")
                && says("dead zone: 20 %")
                && says("sensitivity: × 5.00")
                && says("minimum output: 40 %")
        );
    }

    #[test]
    fn a_plane_shows_how_circles_and_corners_are_shaped() {
        let mut feel = Feel::plain(0.3, 0.0);
        feel.of_mut(Shaped::LeftStick).gate = mantle_core::feel::Gate::Circle;
        let plot = Area { x: 0.0, y: 0.0, w: 200.0, h: 200.0 };
        let drawn = |which| {
            let mut page = Page::default();
            draw_plane(&mut page, plot, which, &feel);
            assert!(page.marks.iter().all(|mark| plot.contains(&mark.area())));
            page.marks
        };
        let far = |(x, y): (f32, f32)| ((x - 100.0).powi(2) + (y - 100.0).powi(2)).sqrt() / (100.0 - DOT);
        let circles = |marks: &[Mark]| -> Vec<f32> {
            let lines = marks.iter().filter_map(|mark| match mark {
                Mark::Lines { points, tone: Tone::Ink, .. } => {
                    Some(points.iter().map(|at| far(*at)).fold(0.0, f32::max))
                }
                _ => None,
            });
            lines.collect()
        };
        let corners = |marks: &[Mark]| -> Vec<f32> {
            marks
                .iter()
                .filter_map(|mark| if let Mark::Dot { at, .. } = mark { Some(far(*at)) } else { None })
                .collect()
        };
        let (left, right) = (drawn(Shaped::LeftStick), drawn(Shaped::RightStick));
        // A quarter lies within the dead zone, and all of it comes out whole.
        for marks in [&left, &right] {
            let out = circles(marks);
            assert!(out.len() == 4 && out[0] < 0.01 && (out[3] - 1.0).abs() < 0.01, "{out:?}");
        }
        // The gate takes the corners of one stick to its circle, and leaves those of the other.
        assert!(corners(&left).iter().all(|far| (far - 1.0).abs() < 0.02), "{:?}", corners(&left));
        assert!(corners(&right).iter().all(|far| *far > 1.3), "{:?}", corners(&right));
    }

    /// A flight stick has its own words, and as many pages as its axes need.
    #[test]
    fn every_axis_of_a_flight_stick_has_its_curve() {
        let model = PadModel::flight(FlightShape::new(u16::MAX, 56, 4));
        let pages = Curves { profile: "ferry".into(), feel: Feel::default(), model }.pages();
        let mut said = Vec::new();
        for page in &pages {
            for mark in &page.marks {
                assert!(page.area().contains(&mark.area()), "{mark:?}");
                if let Mark::Text { text, .. } = mark {
                    said.push(text.as_str());
                }
            }
        }
        for name in ["X and Y", "Rx and Ry", "Z", "Rz", "throttle", "rudder", "wheel", "gas", "brake"] {
            assert_eq!(said.iter().filter(|own| **own == name).count(), 1, "{name}");
        }
        let nothing = Curves { profile: "crane".into(), feel: Feel::default(), model: PadModel::nothing() }.pages();
        assert_eq!(nothing.len(), 1);
    }
}
