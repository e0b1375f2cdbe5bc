//! Exports: the layout card, response curves, the results of trying a pad, delays, ranges of axes, and the report of a device.
//!
//! The crate promises that nothing overlaps and nothing leaves its page, whatever words it is given, and that what is on
//! paper can be searched and copied: text is text, in a font that is embedded. The same values give the same bytes.
//!
//! Its nouns: a [`Card`], [`Curves`] or [`Results`] is laid out on [`Page`]s, which are lists of [`Mark`]s; [`svg`] and
//! [`pdf`] write those.
//!
//! ```
//! use mantle_draw::{Card, CardRow, CardSource};
//! let row = CardRow {
//!     target: "South".into(),
//!     prompt: None,
//!     action: Some("jump".into()),
//!     sources: vec![CardSource { control: "button 4".into(), layer: String::new(), how: String::new(), spot: None }],
//!     hand: None,
//! };
//! let card = Card { profile: "garden".into(), device: "Harbour panel".into(), rows: vec![row], ..Card::default() };
//! let pages = card.pages();
//! assert!(mantle_draw::svg(&pages[0]).contains("jump"));
//! assert!(mantle_draw::pdf("garden", &pages).starts_with(b"%PDF"));
//! ```
#![forbid(unsafe_code)]

mod card;
mod curves;
mod delay;
mod font;
mod page;
mod pdf;
mod ranges;
mod report;
mod results;
mod svg;

pub use card::{Card, CardFace, CardLayer, CardRow, CardSource, CardSpot};
pub use curves::Curves;
pub use delay::Delay;
pub use font::{Weight, width};
pub use page::{Area, Mark, Page, Tone};
pub use pdf::pdf;
pub use ranges::{AxisRange, Ranges};
pub use report::DeviceReport;
pub use results::{ResultLine, Results, Travel};
pub use svg::svg;
