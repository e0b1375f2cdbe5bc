//! Made-up devices on a real kernel, through uhid.

use mantle_files::DeviceFile;
use mantle_linux::uhid::{UhidDevice, UhidEvent, UhidIdentity};
use mantle_sim::{Manner, Waker};
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::sync::{Arc, Mutex};
use std::thread::JoinHandle;

struct Interface {
    device: Arc<UhidDevice>,
    opens: Arc<AtomicU32>,
    waker: Arc<Mutex<Waker>>,
    written: Arc<Mutex<Vec<Vec<u8>>>>,
    pump: Option<JoinHandle<()>>,
}

/// A made-up device, plugged in until it is dropped.
pub struct StandIn {
    interfaces: Vec<Interface>,
    stop: Arc<AtomicBool>,
}

impl std::fmt::Debug for StandIn {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "StandIn of {} interfaces", self.interfaces.len())
    }
}

impl StandIn {
    /// Plugs a device in. `port` stands for where: it becomes the physical path.
    ///
    /// # Errors
    /// When the kernel refuses it.
    pub fn plug(file: &DeviceFile, port: &str, serial: Option<&str>) -> Result<Self, String> {
        Self::plug_as(file, port, serial, Manner::Obliging)
    }

    /// Plugs a device in that takes what is written to it in this manner. Through uhid only feature reports can be
    /// refused, so a refusing one answers everything else.
    ///
    /// # Errors
    /// When the kernel refuses it.
    pub fn plug_as(file: &DeviceFile, port: &str, serial: Option<&str>, manner: Manner) -> Result<Self, String> {
        let stop = Arc::new(AtomicBool::new(false));
        let mut interfaces = Vec::new();
        for (index, interface) in file.interface.iter().enumerate() {
            let identity = UhidIdentity {
                name: &file.name,
                phys: &format!("{port}/input{index}"),
                uniq: serial.unwrap_or(&file.serial),
                bus: if file.bus == "usb" { 3 } else { 5 },
                ids: (file.vendor, file.product, file.release),
            };
            let device =
                UhidDevice::create(&identity, &interface.bytes()?).map_err(|error| format!("uhid: {error}"))?;
            let device = Arc::new(device);
            let mut waker = Waker::new(&interface.wake)?;
            match manner {
                Manner::Refusing => device.refuse_sets(),
                manner => waker.manner = manner,
            }
            let waker = Arc::new(Mutex::new(waker));
            let written = Arc::new(Mutex::new(Vec::new()));
            let (asked, taken, refuses) = (waker.clone(), written.clone(), manner == Manner::Refusing);
            let opens = Arc::new(AtomicU32::new(0));
            let (pumped, counted, ended) = (device.clone(), opens.clone(), stop.clone());
            // Somebody has to listen all the time, even while the driver probes.
            let pump = std::thread::spawn(move || {
                while !ended.load(Ordering::Relaxed) {
                    let fd = pumped.as_fd();
                    let mut polled = [rustix::event::PollFd::new(&fd, rustix::event::PollFlags::IN)];
                    let patience = rustix::time::Timespec { tv_sec: 0, tv_nsec: 50_000_000 };
                    let _ = rustix::event::poll(&mut polled, Some(&patience));
                    while let Ok(Some(event)) = pumped.event() {
                        match event {
                            UhidEvent::Open => drop(counted.fetch_add(1, Ordering::Relaxed)),
                            UhidEvent::Close => drop(counted.fetch_sub(1, Ordering::Relaxed)),
                            UhidEvent::Set(_) if refuses => {}
                            UhidEvent::Output(bytes) | UhidEvent::Set(bytes) => {
                                if let (Ok(mut waker), Ok(mut taken)) = (asked.lock(), taken.lock()) {
                                    let answer = waker.handle_write(&bytes);
                                    answer.into_iter().for_each(|answer| drop(pumped.input(&answer)));
                                    taken.push(bytes);
                                }
                            }
                            _ => {}
                        }
                    }
                }
            });
            interfaces.push(Interface { device, opens, waker, written, pump: Some(pump) });
        }
        Ok(Self { interfaces, stop })
    }

    /// Sends a report of an interface.
    ///
    /// # Errors
    /// When the kernel refuses it.
    pub fn send(&mut self, interface: usize, report: &[u8]) -> Result<(), String> {
        self.interfaces[interface].device.input(report).map_err(|error| format!("uhid: {error}"))
    }

    /// From now on it does not answer reports that are set.
    pub fn ignore_sets(&self) {
        self.interfaces.iter().for_each(|interface| interface.device.ignore_sets());
    }

    /// Whether an interface has received its start-up.
    #[must_use]
    pub fn is_awake(&self, interface: usize) -> bool {
        self.interfaces[interface].waker.lock().is_ok_and(|waker| waker.is_awake())
    }

    /// Everything that was written to an interface.
    #[must_use]
    pub fn written(&self, interface: usize) -> Vec<Vec<u8>> {
        self.interfaces[interface].written.lock().map(|written| written.clone()).unwrap_or_default()
    }

    /// Whether anybody has a node of an interface open.
    #[must_use]
    pub fn is_open(&self, interface: usize) -> bool {
        self.interfaces[interface].opens.load(Ordering::Relaxed) > 0
    }
}

impl Drop for StandIn {
    fn drop(&mut self) {
        self.stop.store(true, Ordering::Relaxed);
        for interface in &mut self.interfaces {
            if let Some(pump) = interface.pump.take() {
                let _ = pump.join();
            }
        }
    }
}
