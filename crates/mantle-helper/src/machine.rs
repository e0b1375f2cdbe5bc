//! What hiding does to the machine: one act each. Tests perform it on a machine of their own.

use crate::device::{class_entry, device_number};
use crate::rights::Rights;
use rustix::fd::OwnedFd;
use rustix::fs::{AtFlags, Mode, OFlags};
use rustix::io::Errno;
use std::fs;
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// The acts by which a device is hidden and given back.
pub trait Machine {
    /// Everything on the machine is looked up below this.
    fn root(&self) -> &Path;
    /// Distinguishes this boot from others.
    fn boot(&self) -> String;
    /// Whether udev runs here.
    fn udev_runs(&self) -> bool;

    /// Reads a file of ours.
    ///
    /// # Errors
    /// Whatever the system says.
    fn read(&self, path: &Path) -> io::Result<Vec<u8>>;

    /// Writes a file of ours at once or not at all, synced.
    ///
    /// # Errors
    /// Whatever the system says; then the old one is as it was.
    fn save(&mut self, path: &Path, bytes: &[u8]) -> io::Result<()>;

    /// Takes a file of ours away; one that is not there is no error.
    ///
    /// # Errors
    /// Whatever the system says.
    fn remove(&mut self, path: &Path) -> io::Result<()>;

    /// Lets udev read its rules again.
    ///
    /// # Errors
    /// When it does not.
    fn reload(&mut self) -> io::Result<()>;

    /// Lets udev look at a node as if it had just appeared, and waits until it has.
    ///
    /// # Errors
    /// When it does not.
    fn look_anew(&mut self, node: &str) -> io::Result<()>;

    /// Takes a device's driver away: everybody loses its nodes.
    ///
    /// # Errors
    /// Whatever the kernel says.
    fn unbind(&mut self, device: &Path, driver: &str) -> io::Result<()>;

    /// Gives a device its driver, and waits until its nodes are there and udev is through with them.
    ///
    /// # Errors
    /// Whatever the kernel says.
    fn bind(&mut self, device: &Path, driver: &str) -> io::Result<()>;

    /// A node's rights.
    ///
    /// # Errors
    /// When it is not there.
    fn rights(&self, node: &str) -> io::Result<Rights>;

    /// Gives a node rights, if it is the node with this device number.
    ///
    /// # Errors
    /// What is refused.
    fn give(&mut self, node: &str, rights: &Rights, rdev: u64) -> io::Result<()>;

    /// A step is done. Tests stop here.
    fn reached(&mut self, _point: &'static str) {}
}

/// How long nodes may take to come back.
const REBOUND_WITHIN: Duration = Duration::from_secs(5);
/// How long udev's tool may take.
const UDEV_WITHIN: Duration = Duration::from_secs(20);
/// Nothing that is read here is longer.
const LONGEST: u64 = 1 << 20;

/// Where udev's tool may be. Not from `PATH`, since this runs as root.
const UDEVADM: [&str; 4] = ["/usr/bin/udevadm", "/bin/udevadm", "/usr/sbin/udevadm", "/sbin/udevadm"];

/// The path of udev's tool.
#[must_use]
pub fn udevadm_path() -> &'static str {
    UDEVADM.into_iter().find(|path| Path::new(path).exists()).unwrap_or(UDEVADM[0])
}

fn udevadm(arguments: &[&str]) -> io::Result<()> {
    let mut tool = Command::new(udevadm_path());
    tool.args(arguments).env_clear().stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
    let mut tool = tool.spawn()?;
    let until = Instant::now() + UDEV_WITHIN;
    loop {
        match tool.try_wait()? {
            Some(status) if status.success() => return Ok(()),
            Some(_) => return Err(io::Error::other(format!("udevadm {} failed", arguments.join(" ")))),
            None if Instant::now() >= until => {
                let _ = tool.kill();
                let _ = tool.wait();
                return Err(Errno::TIMEDOUT.into());
            }
            None => std::thread::sleep(Duration::from_millis(2)),
        }
    }
}

/// The machine that this runs on.
#[derive(Clone, Copy, Debug, Default)]
pub struct ThisMachine {
    /// Called at each step that is done.
    pub at: Option<fn(&'static str)>,
}

impl ThisMachine {
    /// A directory of ours, created if missing, opened without following a link; it must belong to root.
    pub(crate) fn directory(path: &Path) -> io::Result<OwnedFd> {
        let flags = OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::RDONLY | OFlags::CLOEXEC;
        let opened = rustix::fs::open(path, flags, Mode::empty());
        let opened = match opened {
            Err(Errno::NOENT) => {
                fs::create_dir_all(path)?;
                rustix::fs::open(path, flags, Mode::empty())
            }
            other => other,
        }?;
        let stat = rustix::fs::fstat(&opened)?;
        // Whoever else may write there could plant a name of ours.
        if stat.st_uid != rustix::process::geteuid().as_raw() || stat.st_mode & 0o022 != 0 {
            return Err(Errno::PERM.into());
        }
        Ok(opened)
    }
}

impl Machine for ThisMachine {
    fn root(&self) -> &Path {
        Path::new("/")
    }

    fn boot(&self) -> String {
        fs::read_to_string("/proc/sys/kernel/random/boot_id").unwrap_or_default().trim().to_owned()
    }

    fn udev_runs(&self) -> bool {
        Path::new("/run/udev/control").exists()
    }

    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        let fd = rustix::fs::open(path, OFlags::RDONLY | OFlags::NOFOLLOW | OFlags::CLOEXEC, Mode::empty())?;
        // What another account has planted there is not ours.
        if rustix::fs::fstat(&fd)?.st_uid != rustix::process::geteuid().as_raw() {
            return Err(Errno::PERM.into());
        }
        let mut bytes = Vec::new();
        fs::File::from(fd).take(LONGEST).read_to_end(&mut bytes)?;
        Ok(bytes)
    }

    fn save(&mut self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        let directory = Self::directory(path.parent().unwrap_or(Path::new("/")))?;
        let name = path.file_name().ok_or(Errno::INVAL)?.to_string_lossy().into_owned();
        let beside = format!(".{name}.writing");
        // A file left behind by a process that was ended here.
        let _ = rustix::fs::unlinkat(&directory, &*beside, AtFlags::empty());
        let flags = OFlags::WRONLY | OFlags::CREATE | OFlags::EXCL | OFlags::NOFOLLOW | OFlags::CLOEXEC;
        let written = (|| {
            let mut file = fs::File::from(rustix::fs::openat(&directory, &*beside, flags, Mode::from_raw_mode(0o644))?);
            file.write_all(bytes)?;
            file.sync_all()?;
            rustix::fs::renameat(&directory, &*beside, &directory, &*name)?;
            Ok(rustix::fs::fsync(&directory)?)
        })();
        if written.is_err() {
            let _ = rustix::fs::unlinkat(&directory, &*beside, AtFlags::empty());
        }
        written
    }

    fn remove(&mut self, path: &Path) -> io::Result<()> {
        match fs::remove_file(path) {
            Err(error) if error.kind() != io::ErrorKind::NotFound => Err(error),
            _ => Ok(()),
        }
    }

    fn reload(&mut self) -> io::Result<()> {
        udevadm(&["control", "--reload"])?;
        // What udev still has to do for nodes about to disappear it would do for those that take their place, which have the same numbers: for a
        // moment anybody could open them.
        let _ = udevadm(&["settle", "--timeout=5"]);
        Ok(())
    }

    fn look_anew(&mut self, node: &str) -> io::Result<()> {
        udevadm(&["trigger", "--action=add", "--settle", &class_entry(self.root(), node).display().to_string()])
    }

    fn unbind(&mut self, device: &Path, driver: &str) -> io::Result<()> {
        fs::write(driver_file(driver, "unbind"), place(device))
    }

    fn bind(&mut self, device: &Path, driver: &str) -> io::Result<()> {
        fs::write(driver_file(driver, "bind"), place(device))?;
        let until = Instant::now() + REBOUND_WITHIN;
        let there = || {
            let nodes = crate::device::HidDevice::read(device).map(|device| device.nodes()).unwrap_or_default();
            nodes.iter().any(|node| node.contains("hidraw")) && nodes.iter().all(|node| Path::new(node).exists())
        };
        while !there() && Instant::now() < until {
            std::thread::sleep(Duration::from_millis(5));
        }
        let _ = udevadm(&["settle", "--timeout=5"]);
        Ok(())
    }

    fn rights(&self, node: &str) -> io::Result<Rights> {
        Ok(Rights::read(node)?)
    }

    fn give(&mut self, node: &str, rights: &Rights, rdev: u64) -> io::Result<()> {
        // Only what the kernel says is this node is touched.
        if device_number(self.root(), node) != Some(rdev) {
            return Err(Errno::NODEV.into());
        }
        Ok(rights.give(node, rdev)?)
    }

    fn reached(&mut self, point: &'static str) {
        if let Some(at) = self.at {
            at(point);
        }
    }
}

fn driver_file(driver: &str, file: &str) -> PathBuf {
    Path::new("/sys/bus/hid/drivers").join(driver).join(file)
}

fn place(device: &Path) -> String {
    device.file_name().unwrap_or_default().to_string_lossy().into_owned()
}
