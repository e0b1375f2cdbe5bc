//! Pages as PDF, with the font embedded: the letters used of each weight.

use crate::font::{Weight, advance, glyph};
use crate::page::{Mark, Page};
use pdf_writer::types::{CidFontType, FontFlags, SystemInfo, UnicodeCmap};
use pdf_writer::{Content, Filter, Finish, Name, Pdf, Rect, Ref, Str, TextStr};
use std::collections::BTreeMap;

/// The numbers of the objects: the catalogue, the pages, the title, then five for each weight, then two for each page.
const CATALOG: i32 = 1;
const PAGES: i32 = 2;
const INFO: i32 = 3;
const FONTS: i32 = 4;
const FIRST_PAGE: i32 = 14;
/// Identifiers required by the format.
const SYSTEM: SystemInfo<'_> = SystemInfo { registry: Str(b"Adobe"), ordering: Str(b"Identity"), supplement: 0 };

fn resource(weight: Weight) -> Name<'static> {
    match weight {
        Weight::Plain => Name(b"F0"),
        Weight::Bold => Name(b"F1"),
    }
}

fn packed(bytes: &[u8]) -> Vec<u8> {
    miniz_oxide::deflate::compress_to_vec_zlib(bytes, 7)
}

/// Pages as PDF 1.7.
#[must_use]
pub fn pdf(title: &str, pages: &[Page]) -> Vec<u8> {
    let mut pdf = Pdf::new();
    pdf.catalog(Ref::new(CATALOG)).pages(Ref::new(PAGES));
    let ids = |at: usize| (Ref::new(FIRST_PAGE + 2 * at as i32), Ref::new(FIRST_PAGE + 2 * at as i32 + 1));
    pdf.pages(Ref::new(PAGES)).kids((0..pages.len()).map(|at| ids(at).0)).count(pages.len() as i32);
    pdf.document_info(Ref::new(INFO)).title(TextStr(title)).producer(TextStr("Placid Mantle"));
    let mut used: BTreeMap<Weight, BTreeMap<u16, char>> = Weight::ALL.map(|weight| (weight, BTreeMap::new())).into();
    for (at, page) in pages.iter().enumerate() {
        let (id, content) = ids(at);
        let mut entry = pdf.page(id);
        entry.media_box(Rect::new(0.0, 0.0, page.size.0, page.size.1)).parent(Ref::new(PAGES)).contents(content);
        let mut resources = entry.resources();
        let mut fonts = resources.fonts();
        for weight in Weight::ALL {
            fonts.pair(resource(weight), font_ref(weight, 0));
        }
        fonts.finish();
        resources.finish();
        entry.finish();
        let bytes = packed(&drawn(page, &mut used));
        pdf.stream(content, &bytes).filter(Filter::FlateDecode);
    }
    for (weight, letters) in &used {
        embed(&mut pdf, *weight, letters);
    }
    pdf.finish()
}

fn font_ref(weight: Weight, at: i32) -> Ref {
    Ref::new(FONTS + 5 * weight as i32 + at)
}

/// The page's own stream; also reports which letters it uses.
fn drawn(page: &Page, used: &mut BTreeMap<Weight, BTreeMap<u16, char>>) -> Vec<u8> {
    let mut content = Content::new();
    let height = page.size.1;
    for mark in &page.marks {
        match mark {
            Mark::Box { area, fill } => {
                content.set_line_width(0.8).set_stroke_gray(crate::Tone::Line.grey());
                content.rect(area.x, height - area.y - area.h, area.w, area.h);
                match fill {
                    Some(tone) => content.set_fill_gray(tone.grey()).fill_nonzero_and_stroke(),
                    None => content.stroke(),
                };
            }
            Mark::Lines { points, tone, width } => {
                content.set_line_width(*width).set_stroke_gray(tone.grey());
                for (at, (x, y)) in points.iter().enumerate() {
                    match at {
                        0 => content.move_to(*x, height - y),
                        _ => content.line_to(*x, height - y),
                    };
                }
                content.stroke();
            }
            Mark::Dot { at: (x, y), radius, tone } => {
                circle(&mut content, *x, height - y, *radius);
                content.set_fill_gray(tone.grey()).fill_nonzero();
            }
            Mark::Text { at: (x, y), size, weight, tone, text } => {
                let letters = used.entry(*weight).or_default();
                let mut bytes = Vec::with_capacity(2 * text.len());
                for (glyph, letter) in text.chars().map(|letter| glyph(*weight, letter)) {
                    letters.entry(glyph.0).or_insert(letter);
                    bytes.extend(glyph.0.to_be_bytes());
                }
                content.set_fill_gray(tone.grey()).begin_text().set_font(resource(*weight), *size);
                content.set_text_matrix([1.0, 0.0, 0.0, 1.0, *x, height - y]).show(Str(&bytes)).end_text();
            }
        }
    }
    content.finish().to_vec()
}

fn circle(content: &mut Content, x: f32, y: f32, r: f32) {
    // A quarter of a circle, as a cubic curve.
    const K: f32 = 0.5523;
    let k = K * r;
    content.move_to(x + r, y);
    content.cubic_to(x + r, y + k, x + k, y + r, x, y + r).cubic_to(x - k, y + r, x - r, y + k, x - r, y);
    content.cubic_to(x - r, y - k, x - k, y - r, x, y - r).cubic_to(x + k, y - r, x + r, y - k, x + r, y);
    content.close_path();
}

fn embed(pdf: &mut Pdf, weight: Weight, letters: &BTreeMap<u16, char>) {
    let glyphs: Vec<u16> = letters.keys().copied().collect();
    let cut = subsetter::subset(weight.data(), 0, subsetter::Profile::pdf(&glyphs));
    // Complete, if it cannot be reduced: larger, but just as good.
    let data = cut.unwrap_or_else(|_| weight.data().to_vec());
    let name = format!("MANTLE+{}", weight.name());
    let name = Name(name.as_bytes());
    let [type0, cid, descriptor, file, cmap] = [0, 1, 2, 3, 4].map(|at| font_ref(weight, at));
    let mut font = pdf.type0_font(type0);
    font.base_font(name).encoding_predefined(Name(b"Identity-H")).descendant_font(cid).to_unicode(cmap);
    font.finish();
    let mut font = pdf.cid_font(cid);
    font.subtype(CidFontType::Type2).base_font(name).system_info(SYSTEM).font_descriptor(descriptor).default_width(0.0);
    font.cid_to_gid_map_predefined(Name(b"Identity"));
    let mut widths = font.widths();
    for glyph in &glyphs {
        widths.consecutive(*glyph, [advance(weight, ttf_parser::GlyphId(*glyph))]);
    }
    widths.finish();
    font.finish();
    let face = weight.face();
    let scale = 1000.0 / f32::from(face.units_per_em());
    let bounds = face.global_bounding_box();
    let bounds = [bounds.x_min, bounds.y_min, bounds.x_max, bounds.y_max].map(|side| f32::from(side) * scale);
    let mut entry = pdf.font_descriptor(descriptor);
    entry.name(name).flags(FontFlags::NON_SYMBOLIC).italic_angle(0.0).font_file2(file);
    entry.bbox(Rect::new(bounds[0], bounds[1], bounds[2], bounds[3]));
    entry.ascent(f32::from(face.ascender()) * scale).descent(f32::from(face.descender()) * scale);
    entry.cap_height(f32::from(face.capital_height().unwrap_or(0)) * scale);
    entry.stem_v(if weight == Weight::Bold { 160.0 } else { 90.0 });
    entry.finish();
    let bytes = packed(&data);
    let mut stream = pdf.stream(file, &bytes);
    stream.filter(Filter::FlateDecode).pair(Name(b"Length1"), data.len() as i32);
    stream.finish();
    let mut map = UnicodeCmap::new(Name(b"Letters"), SYSTEM);
    letters.iter().for_each(|(glyph, letter)| map.pair(*glyph, *letter));
    pdf.cmap(cmap, &map.finish());
}
