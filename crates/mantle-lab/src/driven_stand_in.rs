//! A made-up device that one of the kernel's own drivers serves: with force feedback, lamps of the LED class, a battery in the power-supply class,
//! and a node for its sensors.

use mantle_core::pad::{Events, MotionBack, MotionReport, PadModel, PadState};
use mantle_core::time::Micros;
use mantle_linux::uhid::{UhidDevice, UhidEvent, UhidIdentity};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// How often it sends its report.
const EVERY: Duration = Duration::from_millis(8);

/// A made-up device with the ids of the motion pad, plugged in until it is dropped.
#[derive(Debug)]
pub struct DrivenStandIn {
    shown: Arc<Mutex<(PadState, MotionReport)>>,
    back: Arc<Mutex<Vec<MotionBack>>>,
    stop: Arc<AtomicBool>,
    pump: Option<JoinHandle<()>>,
}

impl DrivenStandIn {
    /// Plugs it in under this name. `port` stands for where: it becomes the physical path.
    ///
    /// # Errors
    /// When the kernel refuses it.
    pub fn plug(name: &str, port: &str, address: [u8; 6]) -> Result<Self, String> {
        let id = PadModel::motion().identity;
        let identity = UhidIdentity {
            name,
            phys: &format!("{port}/input0"),
            uniq: &address.map(|byte| format!("{byte:02x}")).join(":"),
            bus: id.bus,
            ids: (id.vendor, id.product, id.version),
        };
        let device =
            UhidDevice::create(&identity, &MotionReport::descriptor()).map_err(|error| format!("uhid: {error}"))?;
        let shown = Arc::new(Mutex::new((PadState::default(), MotionReport::new())));
        let (back, stop) = (Arc::<Mutex<Vec<MotionBack>>>::default(), Arc::new(AtomicBool::new(false)));
        let (sent, taken, ended) = (shown.clone(), back.clone(), stop.clone());
        // Somebody has to answer all the time, even while the driver probes.
        let pump = std::thread::spawn(move || {
            let (begun, mut due) = (Instant::now(), Instant::now());
            while !ended.load(Ordering::Relaxed) {
                let fd = device.as_fd();
                let mut polled = [rustix::event::PollFd::new(&fd, rustix::event::PollFlags::IN)];
                let left = due.saturating_duration_since(Instant::now());
                let patience = rustix::time::Timespec { tv_sec: 0, tv_nsec: left.as_nanos() as i64 };
                let _ = rustix::event::poll(&mut polled, Some(&patience));
                while let Ok(Some(event)) = device.event_answered(|report| MotionReport::feature(report, address)) {
                    if let UhidEvent::Output(bytes) = event
                        && let (Some(back), Ok(mut taken)) = (MotionReport::back(&bytes), taken.lock())
                    {
                        taken.push(back);
                    }
                }
                if Instant::now() >= due {
                    due = Instant::now() + EVERY;
                    if let Ok(mut shown) = sent.lock() {
                        let _ = device.input(shown.1.at(Micros(begun.elapsed().as_micros() as u64)));
                    }
                }
            }
        });
        Ok(Self { shown, back, stop, pump: Some(pump) })
    }

    /// It shows this from now on.
    pub fn show(&self, state: &PadState) {
        if let Ok(mut shown) = self.shown.lock() {
            let mut events = Events::default();
            shown.0.events_of(state, &PadModel::motion(), &mut events);
            shown.1.take(&events);
            shown.0 = *state;
        }
    }

    /// Its battery's charge, in tenths; it is not charging.
    pub fn drain(&self, tenths: u8) {
        if let Ok(mut shown) = self.shown.lock() {
            shown.1.set_battery(tenths, false);
        }
    }

    /// All that came back to it.
    #[must_use]
    pub fn back(&self) -> Vec<MotionBack> {
        self.back.lock().map(|back| back.clone()).unwrap_or_default()
    }
}

impl Drop for DrivenStandIn {
    fn drop(&mut self) {
        self.stop.store(true, Ordering::Relaxed);
        if let Some(pump) = self.pump.take() {
            let _ = pump.join();
        }
    }
}
