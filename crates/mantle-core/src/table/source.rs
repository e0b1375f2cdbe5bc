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
    /// Its device.
    pub device: DeviceId,
    /// What it offers.
    pub offer: Offer,
    /// Whether it can be read.
    pub access: Access,
    /// When it was first opened since it was plugged in.
    pub opened: Option<Micros>,
    /// Its sheet.
    pub sheet: Option<Arc<Sheet>>,
    /// The decoded state.
    pub frame: Frame,
    /// Number of reports.
    pub reports: Counter,
    /// Number of unreadable reports.
    pub bad: Counter,
    /// Number of reports in which a control changed.
    pub changed: Counter,
    /// When the last readable one came.
    pub(super) last_good: Micros,
    /// How often reports came faster than they could be read.
    pub overruns: Counter,
    /// What was wrong with the last bad one.
    pub last_bad: String,
    /// For whom each of its parts plays; derived from the seats, and from nothing else.
    pub(super) routes: [Option<Route>; crate::control::PARTS],
    /// The next report must be evaluated even if nothing in it changed.
    pub(super) fresh: bool,
    /// Whether reports longer than their descriptor were noted.
    pub(super) noted_long: bool,
    /// What is noticed about its timing.
    pub watch: crate::watch::SourceWatch,
    /// Which of its values jump.
    pub spikes: crate::watch::Spikes,
    /// Its battery and whether it is charging, from the kernel's power supply or the Bluetooth service.
    pub(super) power: Option<(f32, bool)>,
    /// The conversation with it, if it needs one.
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

    /// Whether people use the machine with it: all of it is a keyboard, a mouse, or something like them.
    #[must_use]
    pub fn steers(&self) -> bool {
        self.layout().is_some_and(|layout| {
            !layout.parts.is_empty() && layout.parts.iter().all(crate::control::PartLayout::is_keyboard_or_mouse)
        })
    }

    /// Number of readable reports.
    #[must_use]
    pub fn good(&self) -> u64 {
        if self.layout().is_some() { self.reports.count - self.bad.count } else { 0 }
    }

    /// Its battery, 0 to 1, and whether it is charging: from its reports, or else from the system.
    #[must_use]
    pub fn battery(&self) -> Option<(f32, bool)> {
        let told = self.layout().filter(|_| self.good() > 0).and_then(|layout| layout.extras.battery_of(&self.frame));
        told.or(self.power)
    }

    /// What is wrong with its reports now: none readable yet, or none for a second.
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
