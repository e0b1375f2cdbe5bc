//! Connecting by radio: what the computer's radio can do, what it has found, and one device's way to the table.
//!
//! [`RadioState`] says what the radio can do and, if it cannot, what mends it; [`RadioDevice`] is a device it knows or has found;
//! [`in_order`] sorts them for display. A [`Journey`] brings one device to the table: events from the person and the radio go into
//! [`Journey::handle`], time into [`Journey::handle_time`], and requests to the radio come out. It succeeds only with a node that can
//! be read, since a link alone is not a device.
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
