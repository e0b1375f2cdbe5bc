//! The text format of the Linux HID recording tools: `R:`, `N:`, `P:`, `I:` for a device, `E:` for each report.

use super::{
    Content, DEVICES, Line, RecordedDevice, RecordedEvent, Recording, counted_bytes, lines, number16, tagged, time,
};
use mantle_core::time::Micros;
use mantle_hid::limits;

pub(super) fn read(bytes: &[u8]) -> Recording {
    let mut out = Recording::default();
    let mut reader = HidTextReader::default();
    for line in lines(bytes) {
        match line.text() {
            Ok(text) if text.starts_with('#') => {}
            Ok(text) => {
                if let Some((tag, rest)) = tagged(text)
                    && let Err(message) = reader.handle(&mut out, &line, tag, rest)
                {
                    out.problem(&line, message);
                }
            }
            Err(message) => out.problem(&line, message),
        }
    }
    for (index, device) in out.devices.iter().enumerate() {
        if device.descriptor.is_empty() {
            let line = Line { number: device.line, offset: 0, bytes: &[] };
            let message = format!("device {index} has no R: line, so its reports cannot be read");
            super::keep(&mut out.problems, &line, message);
        }
    }
    out
}

#[derive(Default)]
struct HidTextReader {
    /// Numbers of `D:` lines, by device.
    numbers: Vec<u64>,
    current: Option<usize>,
    last: Micros,
}

impl HidTextReader {
    fn handle(&mut self, out: &mut Recording, line: &Line<'_>, tag: char, rest: &str) -> Result<(), String> {
        match tag {
            'D' => {
                let number = rest.parse().map_err(|_| format!("{rest:?} is not the number of a device"))?;
                self.switch(out, line, number)
            }
            'R' => {
                let bytes = counted_bytes(rest, limits::DESCRIPTOR_BYTES)?;
                let device = self.device(out, line)?;
                device.descriptor = bytes;
                Ok(())
            }
            'N' => {
                self.device(out, line)?.name = rest.into();
                Ok(())
            }
            'P' => {
                self.device(out, line)?.phys = rest.into();
                Ok(())
            }
            'I' => {
                let ids = rest.split_ascii_whitespace().map(number16).collect::<Result<Vec<u16>, String>>()?;
                let [bus, vendor, product] = ids[..] else {
                    return Err(format!("{} numbers; bus, vendor and product are three", ids.len()));
                };
                let device = self.device(out, line)?;
                (device.bus, device.vendor, device.product) = (bus, vendor, product);
                Ok(())
            }
            'E' => self.event(out, line, rest),
            _ => Ok(()),
        }
    }

    fn switch(&mut self, out: &mut Recording, line: &Line<'_>, number: u64) -> Result<(), String> {
        if let Some(at) = self.numbers.iter().position(|other| *other == number) {
            self.current = Some(at);
            return Ok(());
        }
        if self.numbers.len() == DEVICES {
            return Err(format!("more than {DEVICES} devices"));
        }
        self.numbers.push(number);
        out.devices.push(RecordedDevice { line: line.number, ..RecordedDevice::default() });
        self.current = Some(out.devices.len() - 1);
        Ok(())
    }

    /// The device of the line; without `D:` lines, device 0.
    fn device<'a>(&mut self, out: &'a mut Recording, line: &Line<'_>) -> Result<&'a mut RecordedDevice, String> {
        if self.current.is_none() {
            self.switch(out, line, 0)?;
        }
        out.devices.get_mut(self.current.unwrap_or(0)).ok_or_else(|| "no device".to_owned())
    }

    fn event(&mut self, out: &mut Recording, line: &Line<'_>, rest: &str) -> Result<(), String> {
        let (stamp, bytes) = rest.split_once(' ').ok_or("a time, a count and bytes are expected")?;
        let time = time(stamp)?;
        let report = counted_bytes(bytes, limits::REPORT_BYTES as usize)?;
        let Some(device) = self.current.filter(|at| out.devices.get(*at).is_some_and(|d| !d.descriptor.is_empty()))
        else {
            return Err("a report before the descriptor (R:) of its device".into());
        };
        if time < self.last {
            out.warn(line, "time goes backwards here");
        }
        self.last = time;
        out.events.push(RecordedEvent { device, time, content: Content::Report(report), line: line.number });
        Ok(())
    }
}
