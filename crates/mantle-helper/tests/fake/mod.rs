//! A machine of the test's own: a tree like sysfs, nodes with rights, a udev that goes by the rule it has read, and a kernel that binds drivers. Any
//! act can fail, or be the last one before the process is killed.

use mantle_helper::device::{HidDevice, names};
use mantle_helper::hider::CoverPaths;
use mantle_helper::machine::Machine;
use mantle_helper::rights::Rights;
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::rc::Rc;

/// What happens at an act.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Fate {
    /// The process is killed before it.
    KilledBefore,
    /// The process is killed when it is done.
    KilledAfter,
    /// It is refused with this number.
    Refused(i32),
    /// It is done, but reported as refused.
    DoneAndRefused(i32),
    /// The power fails: what is under `/run` is gone, and the kernel starts again.
    PowerCut,
}

/// Thrown where the process is killed.
pub struct Killed;

/// A mistake that the proof has to find.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Mutant {
    /// The ledger is written after the act that it describes.
    LedgerLate,
    /// What is written down is removed before it is undone.
    EntryDropped,
    /// Whether a node is the kernel's own is not checked.
    NumberNotCompared,
}

/// What is on this machine.
#[derive(Debug)]
pub struct World {
    files: BTreeMap<PathBuf, Vec<u8>>,
    /// The rule as udev has read it.
    read: String,
    pub nodes: BTreeMap<String, Rights>,
    inode: u64,
    boots: u32,
    pub acts: usize,
    pub fate: Option<(usize, Fate)>,
    pub mutant: Option<Mutant>,
    late: Option<(PathBuf, Vec<u8>)>,
}

#[derive(Clone, Debug)]
pub struct Fake {
    root: PathBuf,
    pub world: Rc<RefCell<World>>,
}

/// Its devices: number, serial number, interface, and how many input nodes.
const DEVICES: [(u32, &str, &str, usize); 4] = [
    (1, "A", "usb-1/input0", 2),
    (2, "A", "usb-1/input1", 1),
    (3, "B", "usb-2/input0", 2),
    (4, "B", "usb-3/input0", 2),
];

fn write(path: &Path, text: &str) {
    fs::create_dir_all(path.parent().expect("a directory")).expect("made");
    fs::write(path, text).expect("written");
}

impl Fake {
    pub fn new(root: &Path) -> Self {
        let world = World {
            files: BTreeMap::new(),
            read: String::new(),
            nodes: BTreeMap::new(),
            inode: 100,
            boots: 1,
            acts: 0,
            fate: None,
            mutant: None,
            late: None,
        };
        let fake = Self { root: root.to_owned(), world: Rc::new(RefCell::new(world)) };
        for (number, uniq, phys, inputs) in DEVICES {
            let device = fake.device(number);
            let name = device.file_name().expect("a name").to_owned();
            let uevent = format!(
                "DRIVER=hid-generic\nHID_ID=0003:00001209:00000A02\nHID_NAME=Pad\nHID_PHYS={phys}\nHID_UNIQ={uniq}\n"
            );
            write(&device.join("uevent"), &uevent);
            let all = root.join("sys/bus/hid/devices");
            fs::create_dir_all(&all).expect("made");
            std::os::unix::fs::symlink(&device, all.join(name)).expect("linked");
            fs::create_dir_all(root.join("sys/bus/hid/drivers/hid-generic")).expect("made");
            fake.bound(number, inputs);
        }
        // A login manager has given one node to whoever sits here; somebody has changed another one by hand.
        let mut world = fake.world.borrow_mut();
        let mut change = |node: &str, mode: u32, gid: u32, acl: Option<Vec<u8>>| {
            let rights = world.nodes.get_mut(node).expect("a node");
            (rights.mode, rights.gid, rights.acl) = (mode, gid, acl);
        };
        change("/dev/hidraw1", 0o660, 0, Some(vec![2, 0, 0, 0, 1]));
        change("/dev/hidraw3", 0o640, 77, None);
        change("/dev/input/event10", 0o640, 12, Some(vec![9]));
        drop(world);
        fake
    }

    pub fn paths() -> CoverPaths {
        CoverPaths { run: "/run/ours".into(), rule: "/run/udev/71.rules".into() }
    }

    /// The same machine for another process, with nothing in its way.
    pub fn for_another(&self) -> Self {
        let mut world = self.world.borrow_mut();
        (world.fate, world.acts) = (None, 0);
        drop(world);
        self.clone()
    }

    fn device(&self, number: u32) -> PathBuf {
        self.root.join(format!("sys/devices/0003:1209:0A02.{number:04X}"))
    }

    /// The kernel makes a device's nodes.
    fn bound(&self, number: u32, inputs: usize) {
        let device = self.device(number);
        let _ = std::os::unix::fs::symlink(self.root.join("sys/bus/hid/drivers/hid-generic"), device.join("driver"));
        let mut made = vec![(format!("/dev/hidraw{number}"), device.join(format!("hidraw/hidraw{number}")), 0o600, 0)];
        for input in 0..inputs {
            let event = number as usize * 10 + input;
            let place = device.join(format!("input/input{event}/event{event}"));
            made.push((format!("/dev/input/event{event}"), place, 0o660, 101));
        }
        let mut world = self.world.borrow_mut();
        for (at, (node, place, mode, gid)) in made.into_iter().enumerate() {
            let minor = number * 10 + at as u32;
            write(&place.join("dev"), &format!("13:{minor}\n"));
            let class = if node.contains("hidraw") { "hidraw" } else { "input" };
            let entry = self.root.join("sys/class").join(class).join(Path::new(&node).file_name().expect("a name"));
            fs::create_dir_all(entry.parent().expect("a directory")).expect("made");
            let _ = std::os::unix::fs::symlink(&place, entry);
            world.inode += 1;
            let rights =
                Rights { mode, uid: 0, gid, acl: None, rdev: rustix::fs::makedev(13, minor), inode: world.inode };
            world.nodes.insert(node, rights);
        }
        drop(world);
        let device = HidDevice::read(&device).expect("a device");
        device.nodes().iter().for_each(|node| self.udev(node));
    }

    fn unbound(&self, device: &Path) {
        let nodes = HidDevice::read(device).expect("a device").nodes();
        nodes.iter().for_each(|node| drop(self.world.borrow_mut().nodes.remove(node)));
        for gone in ["hidraw", "input"] {
            let _ = fs::remove_dir_all(device.join(gone));
        }
        let _ = fs::remove_file(device.join("driver"));
    }

    /// What udev does with a node that it hears about.
    fn udev(&self, node: &str) {
        let device = HidDevice::all(&self.root).into_iter().find(|device| device.nodes().iter().any(|own| own == node));
        let Some(device) = device else { return };
        let (uniq, phys) = (device.identity.uniq.clone(), device.identity.phys.clone());
        let mut world = self.world.borrow_mut();
        let hidraw = node.contains("hidraw");
        let keys = if hidraw {
            format!("ENV{{HID_UNIQ}}==\"{uniq}\", ENV{{HID_PHYS}}==\"{phys}\"")
        } else {
            format!("ATTRS{{uniq}}==\"{uniq}\", ATTRS{{phys}}==\"{phys}\"")
        };
        let hides = world.read.contains(&keys);
        let rights = world.nodes.get_mut(node).expect("a node");
        if hides {
            (rights.mode, rights.gid, rights.acl) = (0, 0, None);
        } else if !hidraw {
            // For hidraw it has no rights of its own.
            (rights.mode, rights.gid) = (0o660, 101);
        }
    }

    /// The kernel starts again: the devices are found anew, under new inodes, with their initial rights.
    fn starts_anew(&self) {
        let mut world = self.world.borrow_mut();
        world.files.clear();
        world.read.clear();
        world.late = None;
        world.boots += 1;
    }

    fn act<T>(&self, act: impl FnOnce() -> io::Result<T>) -> io::Result<T> {
        let fate = {
            let mut world = self.world.borrow_mut();
            let at = world.acts;
            world.acts += 1;
            world.fate.filter(|(when, _)| *when == at).map(|(_, fate)| fate)
        };
        match fate {
            Some(Fate::KilledBefore) => std::panic::panic_any(Killed),
            Some(Fate::PowerCut) => {
                self.starts_anew();
                std::panic::panic_any(Killed)
            }
            Some(Fate::Refused(errno)) => Err(io::Error::from_raw_os_error(errno)),
            Some(Fate::DoneAndRefused(errno)) => {
                let _ = act();
                Err(io::Error::from_raw_os_error(errno))
            }
            Some(Fate::KilledAfter) => {
                let _ = act();
                std::panic::panic_any(Killed)
            }
            None => act(),
        }
    }

    /// What is written late is done once a device is bound again.
    fn late(&self) {
        let mut world = self.world.borrow_mut();
        if let Some((path, bytes)) = world.late.take() {
            world.files.insert(path, bytes);
        }
    }

    /// Everything that has to be as it was: rights by device and kind of node, drivers, the rule as udev goes by it, and our files.
    pub fn state(&self) -> String {
        use std::fmt::Write;
        let mut out = String::new();
        let world = self.world.borrow();
        for (number, ..) in DEVICES {
            let device = HidDevice::read(&self.device(number)).expect("a device");
            let _ = writeln!(out, "{number} {:?}", device.driver);
            for node in device.nodes() {
                let rights = world.nodes.get(&node);
                let _ = writeln!(out, "  {node} {:?}", rights.map(|r| (format!("{:o}", r.mode), r.uid, r.gid, &r.acl)));
            }
        }
        let _ = writeln!(out, "rule {:?}\nfiles {:?}", world.read, world.files.keys().collect::<Vec<_>>());
        out
    }

    /// Whether something is written down.
    pub fn has_ledger(&self) -> bool {
        self.world.borrow().files.keys().any(|path| path.ends_with("ledger.json"))
    }

    /// A device with the same name and number has other nodes than the kernel would make: somebody has put them there.
    pub fn lays(&self, node: &str, rights: &Rights) {
        self.world.borrow_mut().nodes.insert(node.into(), rights.clone());
    }

    /// The names of its directories, so that a tree that is read exists.
    pub fn devices(&self) -> usize {
        names(&self.root.join("sys/bus/hid/devices")).len()
    }
}

impl Machine for Fake {
    fn root(&self) -> &Path {
        &self.root
    }

    fn boot(&self) -> String {
        self.world.borrow().boots.to_string()
    }

    fn udev_runs(&self) -> bool {
        true
    }

    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        self.world.borrow().files.get(path).cloned().ok_or_else(|| io::ErrorKind::NotFound.into())
    }

    fn save(&mut self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        self.act(|| {
            let mut world = self.world.borrow_mut();
            let rule = path.ends_with("71.rules");
            if world.mutant == Some(Mutant::LedgerLate) && !rule {
                world.late = Some((path.to_owned(), bytes.to_vec()));
            } else {
                world.files.insert(path.to_owned(), bytes.to_vec());
            }
            Ok(())
        })
    }

    fn remove(&mut self, path: &Path) -> io::Result<()> {
        self.act(|| {
            let mut world = self.world.borrow_mut();
            world.files.remove(path);
            if world.mutant == Some(Mutant::EntryDropped) && path.ends_with("71.rules") {
                world.files.retain(|file, _| !file.ends_with("ledger.json"));
            }
            Ok(())
        })
    }

    fn reload(&mut self) -> io::Result<()> {
        self.act(|| {
            let mut world = self.world.borrow_mut();
            let rule = world.files.iter().find(|(path, _)| path.ends_with("71.rules"));
            world.read = rule.map(|(_, bytes)| String::from_utf8_lossy(bytes).into_owned()).unwrap_or_default();
            Ok(())
        })
    }

    fn look_anew(&mut self, node: &str) -> io::Result<()> {
        self.act(|| {
            self.udev(node);
            Ok(())
        })
    }

    fn unbind(&mut self, device: &Path, _driver: &str) -> io::Result<()> {
        self.act(|| {
            self.unbound(device);
            Ok(())
        })
    }

    fn bind(&mut self, device: &Path, driver: &str) -> io::Result<()> {
        self.act(|| {
            assert_eq!(driver, "hid-generic", "the driver that it had");
            let own = DEVICES.iter().find(|(number, ..)| self.device(*number) == device).expect("a device");
            self.bound(own.0, own.3);
            Ok(())
        })?;
        self.late();
        Ok(())
    }

    fn rights(&self, node: &str) -> io::Result<Rights> {
        let world = self.world.borrow();
        let mut rights = world.nodes.get(node).cloned().ok_or_else(|| io::Error::from(io::ErrorKind::NotFound))?;
        if world.mutant == Some(Mutant::NumberNotCompared) {
            rights.rdev = mantle_helper::device::device_number(&self.root, node).unwrap_or(rights.rdev);
        }
        Ok(rights)
    }

    fn give(&mut self, node: &str, rights: &Rights, rdev: u64) -> io::Result<()> {
        self.act(|| {
            let mut world = self.world.borrow_mut();
            let compared = world.mutant != Some(Mutant::NumberNotCompared);
            let own = world.nodes.get_mut(node).ok_or_else(|| io::Error::from(io::ErrorKind::NotFound))?;
            if compared && own.rdev != rdev {
                return Err(io::Error::from_raw_os_error(19));
            }
            (own.mode, own.uid, own.gid, own.acl) = (rights.mode, rights.uid, rights.gid, rights.acl.clone());
            Ok(())
        })
    }
}
