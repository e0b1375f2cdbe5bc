//! One node that reports come from.

use super::{Route, device_link};
use crate::control::Layout;
use crate::device::{Access, DeviceId, NodeFacts};
use crate::path::ReportsFault;
use crate::session::Counter;
use crate::sheet::Sheet;
use crate::time::Micros;
use mantle_hid::Frame;
use std::sync::Arc;

/// What one node offers.
#[derive(Clone, Debug)]
pub enum Offer {
    /// Its parts and its decoder.
    Layout(Box<Layout>),
    /// Its descriptor cannot be read.
    Unreadable(String),
}

/// One node that reports come from.
#[derive(Clone, Debug)]
pub struct Source {
    /// What is known without opening it.
    pub facts: NodeFacts,
    /// The device that it belongs to.
    pub device: DeviceId,
    /// What it offers.
    pub offer: Offer,
    /// Whether it can be read.
    pub access: Access,
    /// When it was opened first since it was plugged in.
    pub opened: Option<Micros>,
    /// The sheet that it is read by.
    pub sheet: Option<Arc<Sheet>>,
    /// The decoded state.
    pub frame: Frame,
    /// Reports that came.
    pub reports: Counter,
    /// Reports that could not be read.
    pub bad: Counter,
    /// Reports in which a control changed.
    pub changed: Counter,
    /// When the last readable one came.
    pub(super) last_good: Micros,
    /// How often reports came faster than they could be read.
    pub overruns: Counter,
    /// What was wrong with the last bad one.
    pub last_bad: String,
    /// For whom each part of it plays: derived from the seating, and nothing but that.
    pub(super) routes: [Option<Route>; crate::control::PARTS],
    /// The next report is to be evaluated though nothing in it may have changed.
    pub(super) fresh: bool,
    /// Reports longer than their descriptor says have been noted.
    pub(super) noted_long: bool,
    /// What is noticed of its coming.
    pub watch: crate::watch::SourceWatch,
    /// Which of its values jump.
    pub spikes: crate::watch::Spikes,
    /// How full its battery is and whether it charges, as the kernel's power supply or the Bluetooth daemon says.
    pub(super) power: Option<(f32, bool)>,
    /// What is said to it, if there is anything to say.
    pub(super) talk: Option<Box<device_link::DeviceLink>>,
}

impl Source {
    /// The layout, if the descriptor could be read.
    #[must_use]
    pub fn layout(&self) -> Option<&Layout> {
        match &self.offer {
            Offer::Layout(layout) => Some(layout),
            Offer::Unreadable(_) => None,
        }
    }

    /// Whether a person steers the machine with it: all of it is a keyboard, a mouse, or something like them.
    #[must_use]
    pub fn steers(&self) -> bool {
        self.layout().is_some_and(|layout| {
            !layout.parts.is_empty() && layout.parts.iter().all(crate::control::PartLayout::is_keyboard_or_mouse)
        })
    }

    /// Reports that could be read.
    #[must_use]
    pub fn good(&self) -> u64 {
        if self.layout().is_some() { self.reports.count - self.bad.count } else { 0 }
    }

    /// How full its battery is, 0 to 1, and whether it charges: as its reports say, or else the system.
    #[must_use]
    pub fn battery(&self) -> Option<(f32, bool)> {
        let told = self.layout().filter(|_| self.good() > 0).and_then(|layout| layout.extras.battery_of(&self.frame));
        told.or(self.power)
    }

    /// What is wrong with its reports now: nothing readable yet, or nothing for a second.
    #[must_use]
    pub fn fault(&self) -> Option<ReportsFault> {
        if let Offer::Unreadable(why) = &self.offer {
            return Some(ReportsFault::Descriptor(why.clone()));
        }
        if let Some(why) = self.start_fault().filter(|_| self.last_good == Micros(0)) {
            return Some(ReportsFault::Asleep(why.to_owned()));
        }
        let stale = self.bad.last.since(self.last_good) > Micros::seconds(1);
        (self.bad.count > 0 && (self.good() == 0 || stale)).then(|| ReportsFault::Unreadable(self.last_bad.clone()))
    }
}
