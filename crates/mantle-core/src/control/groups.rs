//! Splits a descriptor's fields into parts: one per top-level collection or, if an adapter puts several pads into
//! one collection, one per pad.
//!
//! Sibling collections, or report ids inside one collection, that repeat the same set of usages, including a button,
//! are separate parts. A report id whose usages another one contains (a short form of a full report) is not a part,
//! and neither are touch contacts, which repeat by nature.

use super::ControlKind;
use super::layout::{kind_of, within};
use mantle_hid::{CollectionIndex, Descriptor, Field, FieldKind, Report, ReportKind, Usage, WORDS, usage};
use std::collections::BTreeSet;

/// Something that can be pressed or moved: kind and usage.
type Offers = BTreeSet<(ControlKind, Usage)>;

/// How the fields of a top-level collection are split.
#[derive(Clone, Debug)]
enum Split {
    /// Not at all.
    None,
    /// By collections, each of which is a part.
    Collections(Vec<CollectionIndex>),
    /// By report ids: those that are parts.
    Reports(Vec<u8>),
}

/// The parts of a descriptor before their controls are placed.
#[derive(Clone, Debug, Default)]
pub(super) struct Groups {
    /// What each part says it is.
    pub usages: Vec<Usage>,
    /// Each top-level collection, its first group, and how its fields are split.
    tops: Vec<(CollectionIndex, usize, Split)>,
}

impl Groups {
    /// The groups of a descriptor with these top-level collections.
    pub fn of(descriptor: &Descriptor, tops: &[CollectionIndex]) -> Self {
        let mut out = Self::default();
        for top in tops {
            let usage_of = |index: &CollectionIndex| descriptor.collections()[usize::from(index.0)].usage;
            let (first, own) = (out.usages.len(), usage_of(top));
            let split = split(descriptor, *top);
            match &split {
                Split::None => out.usages.push(own),
                Split::Reports(ids) => out.usages.extend(ids.iter().map(|_| own)),
                Split::Collections(all) => out.usages.extend(all.iter().map(|index| match usage_of(index) {
                    told @ (usage::JOYSTICK | usage::GAME_PAD) => told,
                    _ => own,
                })),
            }
            out.tops.push((*top, first, split));
        }
        out
    }

    /// The group of a field.
    pub fn group(&self, descriptor: &Descriptor, report: &Report, field: &Field) -> Option<usize> {
        let collection = field.collection?;
        let top = descriptor.top_level(collection);
        let (_, first, split) = self.tops.iter().find(|(own, ..)| *own == top)?;
        let at = match split {
            Split::None => None,
            Split::Reports(ids) => ids.iter().position(|id| *id == report.id.0),
            Split::Collections(all) => {
                ancestors(descriptor, collection).find_map(|index| all.iter().position(|own| *own == index))
            }
        };
        // Fields shared by all parts belong to the first.
        Some(first + at.unwrap_or(0))
    }
}

/// A collection and all collections around it, innermost first.
fn ancestors(descriptor: &Descriptor, from: CollectionIndex) -> impl Iterator<Item = CollectionIndex> + '_ {
    std::iter::successors(Some(from), |index| descriptor.collections()[usize::from(index.0)].parent)
}

/// What fields offer. At most as much of a field is examined as a frame can hold.
fn offers<'a>(descriptor: &Descriptor, fields: impl Iterator<Item = &'a Field>) -> Offers {
    let mut out = Offers::new();
    for field in fields.filter(|field| field.kind != FieldKind::Constant) {
        let within = within(descriptor, field);
        let kind = |usage: Usage| Some((kind_of(field, usage, within)?, usage));
        out.extend(
            field.usages.iter().take(WORDS * 64).filter_map(kind).filter(|(kind, _)| *kind != ControlKind::Contact),
        );
    }
    out
}

fn has_button(offers: &Offers) -> bool {
    offers.iter().any(|(kind, _)| *kind == ControlKind::Button)
}

fn split(descriptor: &Descriptor, top: CollectionIndex) -> Split {
    let inputs = || descriptor.reports_of(ReportKind::Input);
    let inside = |field: &&Field, of: CollectionIndex| {
        field.collection.is_some_and(|index| ancestors(descriptor, index).any(|own| own == of))
    };
    let all = (0..descriptor.collections().len()).map(|index| CollectionIndex(index as u16));
    let below: Vec<CollectionIndex> = all
        .filter(|index| *index != top && descriptor.top_level(*index) == top)
        .filter(|index| descriptor.collections()[usize::from(index.0)].usage != usage::FINGER)
        .take(64)
        .collect();
    let of_collection: Vec<(CollectionIndex, Option<CollectionIndex>, Offers)> = below
        .iter()
        .map(|index| {
            let fields = inputs().flat_map(|report| &report.fields).filter(|field| inside(field, *index));
            (*index, descriptor.collections()[usize::from(index.0)].parent, offers(descriptor, fields))
        })
        .collect();
    for (_, parent, own) in of_collection.iter().filter(|(.., own)| has_button(own)) {
        let alike = of_collection.iter().filter(|(_, other, offers)| other == parent && offers == own);
        let alike: Vec<CollectionIndex> = alike.map(|(index, ..)| *index).collect();
        if alike.len() > 1 {
            return Split::Collections(alike);
        }
    }
    let of_reports: Vec<(u8, Offers)> = inputs()
        .map(|report| (report.id.0, offers(descriptor, report.fields.iter().filter(|field| inside(field, top)))))
        .filter(|(_, offers)| !offers.is_empty())
        .collect();
    for (_, own) in of_reports.iter().filter(|(_, own)| has_button(own)) {
        let ids: Vec<u8> = of_reports.iter().filter(|(_, offers)| offers == own).map(|(id, _)| *id).collect();
        if ids.len() > 1 {
            return Split::Reports(ids);
        }
    }
    Split::None
}
