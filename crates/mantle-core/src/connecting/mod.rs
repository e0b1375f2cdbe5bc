//! Connecting by radio: what the computer's radio can do, what it has found, and the way of one device to the table, step by step.
//!
//! [`RadioState`] says what the radio is able to do, and what mends it where it is not; [`RadioDevice`] is a device that it knows or has found,
//! [`in_order`] the order in which they are shown. A [`Journey`] brings one of them to the table: what a person does and what the radio says goes in
//! by [`Journey::handle`], time by [`Journey::handle_time`], and what is to be asked of the radio comes out. It ends well only with a node that can
//! be read: a link alone is no device.
//!
//! ```
//! use mantle_core::connecting::{Journey, RadioAct, RadioDevice, JourneyStep};
//! use mantle_core::time::Micros;
//! let device = RadioDevice { address: "02:00:00:00:00:01".into(), name: "Lantern left".into(), ..RadioDevice::default() };
//! let (journey, act) = Journey::begin(Micros(0), &device);
//! assert_eq!((journey.step(), act), (&JourneyStep::Pairing(None), RadioAct::Pair(device.address)));
//! ```

mod journey;
mod radio;
#[cfg(test)]
mod tests;
mod view;

pub use journey::{Journey, JourneyNews, JourneyStep};
pub use radio::{
    BeginRadio, Dialogue, Radio, RadioAct, RadioDevice, RadioFault, RadioKind, RadioNews, RadioState, RadioTeller,
    in_order,
};
pub use view::{CameView, ConnectView, JourneyView, RadioRow, SHOWN, USUAL_WAYS};
pub(crate) use view::{halves, hints};
