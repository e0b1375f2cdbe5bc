//! Pads of a made-up machine: how they are made, and who has them open.

use super::SimWorld;
use mantle_core::pad::{HidForm, PadModel, Publisher};
use mantle_core::path::{MadePad, PadFault};
use mantle_core::slot::SlotNumber;
use mantle_core::time::Micros;

impl SimWorld {
    /// Whether the pad of a slot is to be a separate device.
    pub(super) fn remember_way(&mut self, slot: SlotNumber, model: &PadModel) {
        self.apart.retain(|own| *own != slot);
        self.apart.extend((model.publisher == Publisher::Uhid(HidForm::Common)).then_some(slot));
    }

    /// The pad of a slot. A machine on which nothing shakes a separate device makes it the other way.
    pub(super) fn made_pad(&self, when: Micros, slot: SlotNumber) -> Result<MadePad, PadFault> {
        let mut made = MadePad::from(self.made(when, "pad", slot)?);
        let refused = self.apart.contains(&slot) && !self.scene.machine.uhid;
        made.instead = refused.then_some(PadFault::NoRumble);
        Ok(made)
    }

    /// A node that the simulated machine makes for a slot, or why it makes none.
    pub(super) fn made(&self, when: Micros, what: &str, slot: SlotNumber) -> Result<String, PadFault> {
        self.uinput(when).map(|()| format!("simulated {what} {}", slot.number()))
    }

    /// Whether there is a uinput.
    pub(super) fn uinput(&self, when: Micros) -> Result<(), PadFault> {
        let there = self.mended.is_some_and(|mended| mended <= when) && !self.outage.contains(&when);
        if there { Ok(()) } else { Err(self.scene.machine.fault()) }
    }
}
