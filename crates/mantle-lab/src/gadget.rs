//! A real USB device with HID interfaces, on the kernel's own dummy controller.

use mantle_files::DeviceFile;
use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};

/// A USB device, plugged in until it is dropped.
#[derive(Debug)]
pub struct Gadget {
    root: PathBuf,
    outputs: Vec<fs::File>,
}

fn put(path: &Path, value: impl AsRef<[u8]>) -> Result<(), String> {
    fs::write(path, value).map_err(|error| format!("{}: {error}", path.display()))
}

impl Gadget {
    /// Makes a device with one HID function for each interface, and plugs it in.
    ///
    /// # Errors
    /// What the kernel refused.
    pub fn plug(file: &DeviceFile, report_bytes: usize) -> Result<Self, String> {
        let root = PathBuf::from("/sys/kernel/config/usb_gadget/lab");
        let dir = |path: &Path| fs::create_dir_all(path).map_err(|error| format!("{}: {error}", path.display()));
        dir(&root)?;
        put(&root.join("idVendor"), format!("{:#06x}", file.vendor))?;
        put(&root.join("idProduct"), format!("{:#06x}", file.product))?;
        let strings = root.join("strings/0x409");
        dir(&strings)?;
        put(&strings.join("serialnumber"), &file.serial)?;
        put(&strings.join("product"), &file.name)?;
        put(&strings.join("manufacturer"), "Lab")?;
        let config = root.join("configs/c.1");
        dir(&config)?;
        for (index, interface) in file.interface.iter().enumerate() {
            let function = root.join(format!("functions/hid.{index}"));
            dir(&function)?;
            put(&function.join("protocol"), "0")?;
            put(&function.join("subclass"), "0")?;
            put(&function.join("report_length"), report_bytes.to_string())?;
            put(&function.join("report_desc"), interface.bytes()?)?;
            std::os::unix::fs::symlink(&function, config.join(format!("hid.{index}")))
                .map_err(|error| error.to_string())?;
        }
        let controller = crate::wait_for("a USB controller", || fs::read_dir("/sys/class/udc").ok()?.flatten().next())?;
        put(&root.join("UDC"), controller.file_name().as_encoded_bytes())?;
        let mut outputs = Vec::new();
        for index in 0..file.interface.len() {
            let path = format!("/dev/hidg{index}");
            let output = crate::wait_for(&path, || fs::OpenOptions::new().write(true).open(&path).ok())?;
            outputs.push(output);
        }
        Ok(Self { root, outputs })
    }

    /// Sends a report of an interface.
    ///
    /// # Errors
    /// When the kernel refuses it.
    pub fn send(&mut self, interface: usize, report: &[u8]) -> Result<(), String> {
        self.outputs[interface].write_all(report).map_err(|error| format!("hidg{interface}: {error}"))
    }
}

impl Drop for Gadget {
    fn drop(&mut self) {
        let _ = fs::write(self.root.join("UDC"), "\n");
        let functions = fs::read_dir(self.root.join("functions")).into_iter().flatten().flatten();
        let names: Vec<_> = functions.map(|entry| entry.file_name()).collect();
        self.outputs.clear();
        for name in &names {
            let _ = fs::remove_file(self.root.join("configs/c.1").join(name));
        }
        let _ = fs::remove_dir(self.root.join("configs/c.1"));
        for name in &names {
            let _ = fs::remove_dir(self.root.join("functions").join(name));
        }
        for path in ["strings/0x409", ""] {
            let _ = fs::remove_dir(self.root.join(path));
        }
    }
}
