//! The layout card: what a game prints, or what the person calls it, and where that is on this device. To be read from a chair.
//!
//! ```text
//! garden                                        Harbour panel
//! ┌───────────────┐ ┌───────────────┐ ┌───────────────┐ ...
//! │ jump          │ │ brake         │ │ East          │   the word that is looked for
//! │ button 4      │ │ Z lower half  │ │ button 2      │   where it is
//! │ South, "leaf" │ │ left trigger  │ │               │   what the pad calls it, what games print, how
//! └───────────────┘ └───────────────┘ └───────────────┘
//! while button 5 is held: shift
//! ...
//! ```
//!
//! Where a face says where controls sit, they are drawn in their places, each with its words:
//!
//! ```text
//! ┌ button 1 ┐ ┌ button 2 ┐            ┌ hat ──────┐
//! │   jump   │ │   brake  │            │ up: lamp  │
//! └──────────┘ └──────────┘            └───────────┘
//! ┌ button 3 ┐ ...
//! ```
//!
//! Of a pad that is held in both hands the boxes lie as the controls do: what the left hand has to the left, what the right hand has to
//! the right, both sides level with each other, and what lies in the middle under them.

use crate::font::Weight;
use crate::page::{Area, Page, Tone};
use mantle_core::pad::Hand;
use std::collections::BTreeMap;

/// Where a target is played.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct CardSource {
    /// The control, with its device if there are several.
    pub control: String,
    /// The layer's name; empty for the base.
    pub layer: String,
    /// Its options that are not the default, in words.
    pub how: String,
    /// Where it sits, if a face says so.
    pub spot: Option<CardSpot>,
}

/// A place on a face.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct CardSpot {
    /// Which face.
    pub face: usize,
    /// Its row, and its place in the row.
    pub place: (usize, usize),
    /// Which part of what sits there it is; empty if it is all of it.
    pub part: String,
}

/// Where the controls of a device sit.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct CardFace {
    /// The device's name; empty if it is the only one.
    pub device: String,
    /// The names of what sits there, row by row; empty where nothing does.
    pub rows: Vec<Vec<String>>,
}

/// What is played.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct CardRow {
    /// What the pad calls it.
    pub target: String,
    /// What games print for it.
    pub prompt: Option<String>,
    /// What the person calls it.
    pub action: Option<String>,
    /// The controls; empty if nothing plays it, and then it is not on the card.
    pub sources: Vec<CardSource>,
    /// Under which hand it is; none if that does not apply.
    pub hand: Option<Hand>,
}

/// A layer, and what turns it on.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct CardLayer {
    /// Its name.
    pub name: String,
    /// The control that is held, or switches it.
    pub hold: String,
    /// Whether that switches it.
    pub toggle: bool,
}

/// All that stands on a card.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Card {
    /// The profile.
    pub profile: String,
    /// The device, or several.
    pub device: String,
    /// The person's notes.
    pub notes: String,
    /// The layers beside the base.
    pub layers: Vec<CardLayer>,
    /// Where controls sit, as far as that is known.
    pub faces: Vec<CardFace>,
    /// What is played, in the order of the pad.
    pub rows: Vec<CardRow>,
}

impl CardRow {
    /// The word that people look for.
    fn word(&self) -> &str {
        self.action.as_ref().or(self.prompt.as_ref()).unwrap_or(&self.target)
    }
}

/// What a place of a face says.
struct Spot {
    /// Whether the layer has it, and not the base below it.
    is_of_layer: bool,
    /// What is played there, with what else is to be said.
    lines: Vec<(String, String)>,
}

/// The heading of a face: what its layer is, and whose it is.
fn title_of(title: &str, device: &str) -> String {
    [device, title].into_iter().filter(|words| !words.is_empty()).collect::<Vec<_>>().join(", ")
}

/// Sizes: columns, the height of a box, and the largest letters of its three lines.
struct Measure {
    columns: usize,
    height: f32,
    sizes: [f32; 3],
}

const FEW: Measure = Measure { columns: 3, height: 96.0, sizes: [28.0, 22.0, 12.0] };
const MANY: Measure = Measure { columns: 4, height: 69.0, sizes: [21.0, 18.0, 10.0] };
/// No letters are smaller than this.
const LEAST: [f32; 3] = [11.0, 10.0, 7.0];
const GAP: f32 = 8.0;
/// The least and the largest height of a place on a face, and its largest width.
const SPOT: (f32, f32) = (52.0, 150.0);
const SPOT_WIDTH: f32 = 250.0;
/// The most lines in one place.
const SPOT_LINES: usize = 4;
/// Room for the number of the page.
const PAGE_NUMBER: f32 = 80.0;

/// The contents of a box: the word that people look for, where it is, and anything else.
type Words = [String; 3];

/// A line of boxes, from the left; nothing where there is none.
type Line<'a> = Vec<Option<&'a Words>>;

/// Boxes in lines: those of the two hands side by side, those in the middle below, then all others.
fn lines(boxes: &[(Option<Hand>, Words)], columns: usize) -> Vec<(&'static str, Line<'_>)> {
    let of = |wanted: Option<Hand>| {
        boxes.iter().filter(|(hand, _)| *hand == wanted).map(|(_, words)| words).collect::<Vec<_>>()
    };
    let (left, right) = (of(Some(Hand::Left)), of(Some(Hand::Right)));
    let (half, mut out) = (columns / 2, Vec::new());
    for at in 0..left.len().max(right.len()).div_ceil(half) {
        let line = [&left, &right].into_iter().flat_map(|all| (0..half).map(move |column| (all, column)));
        let line = line.map(|(all, column)| all.get(at * half + column).copied()).collect();
        out.push((if at == 0 { "hands" } else { "" }, line));
    }
    for (heading, all) in [("middle", of(Some(Hand::Middle))), ("", of(None))] {
        let chunks = all.chunks(columns).enumerate();
        out.extend(
            chunks.map(|(at, line)| {
                (if at == 0 { heading } else { "" }, line.iter().map(|words| Some(*words)).collect())
            }),
        );
    }
    out
}

impl Card {
    /// The boxes of a layer.
    fn boxes(&self, layer: &str) -> Vec<(Option<Hand>, Words)> {
        let mut out = Vec::new();
        for row in &self.rows {
            let loose = |source: &&CardSource| source.layer == layer && source.spot.is_none();
            let own: Vec<&CardSource> = row.sources.iter().filter(loose).collect();
            if own.is_empty() {
                continue;
            }
            let word = row.word();
            let places: Vec<&str> = own.iter().map(|source| source.control.as_str()).collect();
            let mut more = Vec::new();
            if word != row.target {
                more.push(row.target.clone());
            }
            if let Some(prompt) = row.prompt.as_ref().filter(|prompt| *prompt != word) {
                more.push(format!("printed {prompt}"));
            }
            more.extend(own.iter().filter(|source| !source.how.is_empty()).map(|source| source.how.clone()));
            out.push((row.hand, [word.to_owned(), places.join(" or "), more.join(", ")]));
        }
        out
    }

    /// What each place of a face says in a layer: what is bound there, or else what the base has there.
    fn spots(&self, face: usize, layer: &str) -> BTreeMap<(usize, usize), Spot> {
        let mut spots: BTreeMap<(usize, usize), Spot> = BTreeMap::new();
        for is_of_layer in [true, false] {
            let wanted = if is_of_layer { layer } else { "" };
            let mut found: BTreeMap<(usize, usize), Spot> = BTreeMap::new();
            for row in &self.rows {
                let mut placed = Vec::new();
                for source in row.sources.iter().filter(|source| source.layer == wanted) {
                    let Some(spot) = source.spot.as_ref().filter(|spot| spot.face == face) else { continue };
                    // A hat and the axes of the same stick play the same.
                    if placed.contains(&spot.place) {
                        continue;
                    }
                    placed.push(spot.place);
                    let own = found.entry(spot.place).or_insert(Spot { is_of_layer, lines: Vec::new() });
                    let word = row.word();
                    let said =
                        if word.ends_with(&spot.part) { word.to_owned() } else { format!("{}: {word}", spot.part) };
                    let target = if word == row.target { String::new() } else { row.target.clone() };
                    let more = [target, source.how.clone()];
                    let more = more.iter().filter(|words| !words.is_empty()).cloned().collect::<Vec<_>>().join(", ");
                    own.lines.push((said, more));
                }
            }
            for (place, spot) in found {
                spots.entry(place).or_insert(spot);
            }
        }
        spots
    }

    /// Lays it out; at least one page.
    #[must_use]
    pub fn pages(&self) -> Vec<Page> {
        let mut sections = vec![(String::new(), String::new(), self.boxes(""))];
        for layer in &self.layers {
            let verb = if layer.toggle { "after a press of" } else { "while holding" };
            let title = format!("{verb} {}: {}", layer.hold, layer.name);
            sections.push((layer.name.clone(), title, self.boxes(&layer.name)));
        }
        let count: usize = sections.iter().map(|(_, _, boxes)| boxes.len()).sum();
        // Hands have as many columns each.
        let held = self.rows.iter().any(|row| row.hand.is_some() && !row.sources.is_empty());
        let measure = if count <= 12 && !held { FEW } else { MANY };
        let mut paper = Paper::new(self, &measure);
        for (layer, title, boxes) in &sections {
            let (mut title, mut is_drawn) = (title.as_str(), false);
            for (at, face) in self.faces.iter().enumerate() {
                let spots = self.spots(at, layer);
                if spots.values().any(|spot| spot.is_of_layer) {
                    paper.face(&title_of(title, &face.device), face, &spots);
                    (title, is_drawn) = ("", true);
                }
            }
            if !boxes.is_empty() {
                let others = if is_drawn { "elsewhere" } else { title };
                paper.section(others, boxes);
            }
        }
        paper.number()
    }
}

/// Pages being filled.
struct Paper<'a> {
    card: &'a Card,
    measure: &'a Measure,
    pages: Vec<Page>,
    /// What is free on the last one.
    free: Area,
    /// How much of it was free at first.
    whole: f32,
}

impl<'a> Paper<'a> {
    fn new(card: &'a Card, measure: &'a Measure) -> Self {
        let free = Area { x: 0.0, y: 0.0, w: 0.0, h: 0.0 };
        let mut out = Self { card, measure, pages: Vec::new(), free, whole: 0.0 };
        out.turn();
        out
    }

    /// A new page, with its heading.
    fn turn(&mut self) {
        let mut page = Page::default();
        let area = page.area();
        let half = Area { w: area.w * 0.5 - GAP, h: 34.0, ..area };
        page.text(half, (26.0, 10.0), Weight::Bold, Tone::Ink, &self.card.profile);
        let right = Area { x: area.x + area.w * 0.5, w: area.w * 0.5 - PAGE_NUMBER - GAP, ..half };
        page.text(right, (20.0, 9.0), Weight::Plain, Tone::Quiet, &self.card.device);
        let mut used = 40.0;
        let notes = self.card.notes.split_whitespace().collect::<Vec<_>>().join(" ");
        if self.pages.is_empty() && !notes.is_empty() {
            let line = Area { y: area.y + used, h: 16.0, ..area };
            page.text(line, (12.0, 8.0), Weight::Plain, Tone::Quiet, &notes);
            used += 20.0;
        }
        self.free = Area { y: area.y + used, h: area.h - used, ..area };
        self.whole = self.free.h;
        self.pages.push(page);
    }

    /// If there are several pages, each is numbered.
    fn number(mut self) -> Vec<Page> {
        let count = self.pages.len();
        for (at, page) in self.pages.iter_mut().enumerate().filter(|_| count > 1) {
            let area = page.area();
            let corner = Area { x: area.x + area.w - PAGE_NUMBER, w: PAGE_NUMBER, h: 34.0, ..area };
            page.text(corner, (13.0, 9.0), Weight::Plain, Tone::Quiet, &format!("page {} of {count}", at + 1));
        }
        self.pages
    }

    fn page(&mut self) -> &mut Page {
        let last = self.pages.len() - 1;
        &mut self.pages[last]
    }

    fn take(&mut self, height: f32) -> Area {
        let taken = Area { h: height, ..self.free };
        self.free = Area { y: self.free.y + height + GAP, h: self.free.h - height - GAP, ..self.free };
        taken
    }

    /// A face, whole on one page: each control in its place.
    fn face(&mut self, title: &str, face: &CardFace, spots: &BTreeMap<(usize, usize), Spot>) {
        let count = face.rows.len().max(1) as f32;
        let columns = face.rows.iter().map(Vec::len).max().unwrap_or(0).max(1) as f32;
        let heading = if title.is_empty() { 0.0 } else { 24.0 };
        let fits = |free: f32| (free - heading - GAP * count) / count;
        if fits(self.free.h) < SPOT.0 && self.free.h < self.whole {
            self.turn();
        }
        if heading > 0.0 {
            let area = self.take(heading - GAP);
            self.page().text(area, (15.0, 9.0), Weight::Bold, Tone::Quiet, title);
        }
        let height = ((self.free.h - GAP * count) / count).min(SPOT.1);
        for (row, names) in face.rows.iter().enumerate() {
            let whole = self.take(height);
            let width = ((whole.w - GAP * (columns - 1.0)) / columns).min(SPOT_WIDTH);
            for (at, name) in names.iter().enumerate().filter(|(_, name)| !name.is_empty()) {
                let area = Area { x: whole.x + at as f32 * (width + GAP), w: width, ..whole };
                self.draw_spot(area, name, spots.get(&(row, at)));
            }
        }
    }

    /// A control in its place: its name, and what it plays as large as it goes. What only the base plays there is quiet.
    fn draw_spot(&mut self, area: Area, name: &str, spot: Option<&Spot>) {
        let page = self.page();
        page.marks.push(crate::Mark::Box { area, fill: None });
        let inside = area.inside(4.0);
        let share = |from: f32, to: f32| Area { y: inside.y + inside.h * from, h: inside.h * (to - from), ..inside };
        page.text(share(0.0, 0.24), (11.0, 5.0), Weight::Plain, Tone::Quiet, name);
        let Some(spot) = spot else { return };
        let tone = if spot.is_of_layer { Tone::Ink } else { Tone::Quiet };
        match spot.lines.as_slice() {
            [(word, more)] => {
                page.text(share(0.24, 0.78), (36.0, 6.0), Weight::Bold, tone, word);
                page.text(share(0.78, 1.0), (11.0, 5.0), Weight::Plain, Tone::Quiet, more);
            }
            several => {
                let shown = several.len().min(SPOT_LINES);
                let each = 0.76 / shown.max(1) as f32;
                for (at, (word, _)) in several.iter().take(shown).enumerate() {
                    let more = several.len() - shown;
                    let is_last = at + 1 == shown && more > 0;
                    let word = if is_last { format!("and {} more", more + 1) } else { word.clone() };
                    let from = 0.24 + each * at as f32;
                    page.text(share(from, from + each), (18.0, 4.5), Weight::Bold, tone, &word);
                }
            }
        }
    }

    fn section(&mut self, title: &str, boxes: &[(Option<Hand>, Words)]) {
        let Measure { columns, height, sizes } = *self.measure;
        for (at, (label, line)) in lines(boxes, columns).into_iter().enumerate() {
            let heading = if at == 0 && !title.is_empty() { 24.0 } else { 0.0 };
            let labelled = if label.is_empty() { 0.0 } else { 14.0 };
            if self.free.h < height + heading + labelled + GAP {
                self.turn();
            }
            if heading > 0.0 {
                let area = self.take(heading - GAP);
                self.page().text(area, (15.0, 9.0), Weight::Bold, Tone::Quiet, title);
            }
            if labelled > 0.0 {
                // The gap behind it belongs to it.
                let area = self.take(labelled - GAP);
                let half = (area.w + GAP) / 2.0;
                let words = match label {
                    "hands" => [(0.0, "left hand"), (half, "right hand")],
                    other => [(0.0, other), (half, "")],
                };
                for (x, words) in words.into_iter().filter(|(_, words)| !words.is_empty()) {
                    let area = Area { x: area.x + x, w: half - GAP, h: labelled, ..area };
                    self.page().text(area, (10.0, 7.0), Weight::Plain, Tone::Quiet, words);
                }
            }
            let whole = self.take(height);
            let width = (whole.w - GAP * (columns - 1) as f32) / columns as f32;
            for (column, words) in line.into_iter().enumerate() {
                let area = Area { x: whole.x + column as f32 * (width + GAP), w: width, ..whole };
                if let Some(words) = words {
                    self.draw_box(area, words, sizes);
                }
            }
        }
    }

    fn draw_box(&mut self, area: Area, [word, place, more]: &[String; 3], sizes: [f32; 3]) {
        let page = self.page();
        page.marks.push(crate::Mark::Box { area, fill: None });
        let inside = area.inside(7.0);
        let sizes = [0, 1, 2].map(|line| (sizes[line], LEAST[line]));
        // Each line keeps its place, however long the one above it is.
        let share = |from: f32, to: f32| Area { y: inside.y + inside.h * from, h: inside.h * (to - from), ..inside };
        page.text(share(0.0, 0.42), sizes[0], Weight::Bold, Tone::Ink, word);
        page.text(share(0.42, 0.77), sizes[1], Weight::Plain, Tone::Ink, place);
        page.text(share(0.77, 1.0), sizes[2], Weight::Plain, Tone::Quiet, more);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Mark, pdf, svg};
    use proptest::prelude::*;

    fn words() -> impl Strategy<Value = String> {
        prop_oneof![3 => "[a-zA-Z0-9 ]{0,12}", 1 => "\\PC{0,40}", 1 => "[a-z]{60,200}"]
    }

    fn card() -> impl Strategy<Value = Card> {
        let layers = ["", "shift", "aim"];
        let spot = (0..2usize, (0..8usize, 0..12usize), words());
        let spot = prop::option::of(spot.prop_map(|(face, place, part)| CardSpot { face, place, part }));
        let source = (words(), 0..3usize, words(), spot).prop_map(move |(control, layer, how, spot)| CardSource {
            control,
            layer: layers[layer].into(),
            how,
            spot,
        });
        let row = (words(), prop::option::of(words()), prop::option::of(words()), prop::collection::vec(source, 0..3))
            .prop_map(|(target, prompt, action, sources)| (target, prompt, action, sources));
        let hand = prop_oneof![Just(None), Just(Some(Hand::Left)), Just(Some(Hand::Middle)), Just(Some(Hand::Right))];
        let row = (row, hand).prop_map(|((target, prompt, action, sources), hand)| CardRow {
            target,
            prompt,
            action,
            sources,
            hand,
        });
        let layer = (words(), any::<bool>());
        let face = (words(), prop::collection::vec(prop::collection::vec(words(), 0..=12), 0..=8));
        let face = face.prop_map(|(device, rows)| CardFace { device, rows });
        let rows = (prop::collection::vec(row, 0..60), prop::collection::vec(face, 0..3));
        (words(), words(), words(), prop::array::uniform2(layer), rows).prop_map(
            |(profile, device, notes, [shift, aim], (rows, faces))| {
                let layers = [("shift", shift), ("aim", aim)].map(|(name, (hold, toggle))| CardLayer {
                    name: name.into(),
                    hold,
                    toggle,
                });
                Card { profile, device, notes, layers: layers.to_vec(), faces, rows }
            },
        )
    }

    /// The boxes of a page, and its texts.
    fn areas(page: &Page) -> (Vec<Area>, Vec<Area>) {
        let boxes = page.marks.iter().filter(|mark| matches!(mark, Mark::Box { .. })).map(Mark::area);
        let texts = page.marks.iter().filter(|mark| matches!(mark, Mark::Text { .. })).map(Mark::area);
        (boxes.collect(), texts.collect())
    }

    /// All words of a page.
    fn said(pages: &[Page]) -> String {
        let texts = pages.iter().flat_map(|page| &page.marks).filter_map(|mark| match mark {
            Mark::Text { text, .. } => Some(text.as_str()),
            _ => None,
        });
        texts.collect::<Vec<_>>().join("\n")
    }

    proptest! {
        #[test]
        fn nothing_overlaps_and_nothing_leaves_its_page(card in card()) {
            for page in card.pages() {
                let whole = Area { x: 0.0, y: 0.0, w: page.size.0, h: page.size.1 };
                prop_assert!(page.marks.iter().all(|mark| page.area().contains(&mark.area()) && whole.contains(&mark.area())));
                let (boxes, texts) = areas(&page);
                for (at, one) in boxes.iter().enumerate() {
                    prop_assert!(boxes[..at].iter().all(|other| !one.overlaps(other)), "two boxes share a place");
                }
                for (at, one) in texts.iter().enumerate() {
                    prop_assert!(texts[..at].iter().all(|other| !one.overlaps(other)), "two texts share a place");
                    let inside = boxes.iter().filter(|area| area.overlaps(one)).all(|area| area.contains(one));
                    prop_assert!(inside, "a text sticks out of its box");
                }
            }
        }

        #[test]
        fn any_card_can_be_written(card in card()) {
            let pages = card.pages();
            let text = svg(&pages[0]);
            prop_assert!(text.starts_with("<svg") && text.ends_with("</svg>\n"));
            prop_assert!(pdf(&card.profile, &pages).ends_with(b"%%EOF"));
        }
    }

    fn row(target: &str, action: Option<&str>, sources: &[(&str, &str)]) -> CardRow {
        let source = |(control, layer): &(&str, &str)| CardSource {
            control: (*control).into(),
            layer: (*layer).into(),
            ..CardSource::default()
        };
        CardRow {
            target: target.into(),
            prompt: Some(format!("[{target}]")),
            action: action.map(str::to_owned),
            sources: sources.iter().map(source).collect(),
            hand: None,
        }
    }

    #[test]
    fn every_bound_control_is_there_with_its_words_and_its_layer() {
        let card = Card {
            profile: "garden".into(),
            device: "Harbour panel".into(),
            layers: vec![CardLayer { name: "shift".into(), hold: "button 5".into(), toggle: false }],
            rows: vec![
                row("South", Some("jump"), &[("button 4", ""), ("button 9", "shift")]),
                row("East", None, &[("button 2", "")]),
                row("West", Some("never"), &[]),
            ],
            ..Card::default()
        };
        let said = said(&card.pages());
        for word in
            ["garden", "Harbour panel", "jump", "button 4", "button 9", "[East]", "while holding button 5: shift"]
        {
            assert!(said.contains(word), "{word} is missing:\n{said}");
        }
        assert!(said.contains("South, printed [South]"), "{said}");
        assert!(!said.contains("never"), "what nothing plays is not on it");
    }

    /// Where on its pages a word stands, and how large.
    fn found(pages: &[Page], word: &str) -> Vec<((f32, f32), f32, Tone)> {
        let marks = pages.iter().flat_map(|page| &page.marks);
        let texts = marks.filter_map(|mark| match mark {
            Mark::Text { at, size, tone, text, .. } if text == word => Some((*at, *size, *tone)),
            _ => None,
        });
        texts.collect()
    }

    #[test]
    fn a_face_shows_each_control_in_its_place_and_the_rest_below() {
        let spot = |place, part: &str| Some(CardSpot { face: 0, place, part: part.into() });
        let placed = |target: &str, action: &str, control: &str, layer: &str, spot| CardRow {
            sources: vec![CardSource { control: control.into(), layer: layer.into(), spot, ..CardSource::default() }],
            ..row(target, Some(action), &[])
        };
        let rows = ["", "1", "2"].map(str::to_owned).to_vec();
        let card = Card {
            layers: vec![CardLayer { name: "shift".into(), hold: "button 5".into(), toggle: false }],
            faces: vec![CardFace { device: String::new(), rows: vec![rows, vec!["hat".into(), "3".into()]] }],
            rows: vec![
                placed("South", "jump", "button 1", "", spot((0, 1), "")),
                placed("East", "brake", "button 2", "", spot((0, 2), "")),
                placed("West", "horn", "button 2", "shift", spot((0, 2), "")),
                placed("Up", "lamp", "hat up", "", spot((1, 0), "up")),
                placed("Down", "map", "hat down", "", spot((1, 0), "down")),
                placed("North", "bell", "button 9", "", None),
            ],
            ..Card::default()
        };
        let pages = card.pages();
        let at = |word: &str| found(&pages, word).first().copied().unwrap_or_else(|| panic!("{word} is missing")).0;
        assert!(at("jump").0 < at("brake").0 && at("jump").1 == at("brake").1, "side by side");
        assert!(at("up: lamp").0 < at("jump").0 && at("up: lamp").1 > at("jump").1, "left of it and below");
        assert!(at("down: map").1 > at("up: lamp").1 && at("bell").1 > at("down: map").1, "the rest below");
        assert!(
            !found(&pages, "elsewhere").is_empty() && !found(&pages, "3").is_empty(),
            "an unbound one has its place"
        );
        let size = found(&pages, "jump")[0].1;
        assert!(size >= 20.0, "{size}: to be read from a chair");
        // In the layer what the base plays is quiet.
        let tones = |word: &str| found(&pages, word).into_iter().map(|(_, _, tone)| tone).collect::<Vec<_>>();
        assert_eq!(tones("jump"), [Tone::Ink, Tone::Quiet]);
        assert_eq!((tones("brake"), tones("horn")), (vec![Tone::Ink], vec![Tone::Ink]));
    }

    #[test]
    fn text_is_large_and_larger_on_short_cards() {
        let rows = |count: usize| (0..count).map(|at| row("South", Some("jump"), &[(&format!("button {at}"), "")]));
        let size = |count: usize| {
            let card = Card { rows: rows(count).collect(), ..Card::default() };
            let pages = card.pages();
            let sizes = pages.iter().flat_map(|page| &page.marks).filter_map(|mark| match mark {
                Mark::Text { size, text, .. } if text == "jump" => Some(*size),
                _ => None,
            });
            sizes.fold(f32::MAX, f32::min)
        };
        assert!(size(6) > 25.0 && size(25) > 18.0 && size(90) > 18.0, "{} {} {}", size(6), size(25), size(90));
    }

    /// What the left hand has is to the left of what the right hand has, on the same lines; the middle is below.
    #[test]
    fn a_two_handed_pad_is_drawn_as_it_is_held() {
        let held = |name: &str, hand| CardRow { hand: Some(hand), ..row(name, None, &[("button 1", "")]) };
        let rows = vec![
            held("South", Hand::Right),
            held("left trigger", Hand::Left),
            held("Start", Hand::Middle),
            held("right trigger", Hand::Right),
        ];
        let pages = Card { rows, ..Card::default() }.pages();
        let place = |word: &str| {
            let found = pages[0].marks.iter().find(|mark| matches!(mark, Mark::Text { text, .. } if text == word));
            found.map(Mark::area).unwrap_or_else(|| panic!("{word} is missing"))
        };
        let (left, south, other, start) =
            (place("[left trigger]"), place("[South]"), place("[right trigger]"), place("[Start]"));
        assert!(left.x < south.x && south.x < other.x, "{left:?} {south:?} {other:?}");
        assert!((left.y - south.y).abs() < 0.1 && start.y > left.y + 30.0);
        assert!(place("left hand").x < place("right hand").x && place("middle").y > left.y);
    }
}
