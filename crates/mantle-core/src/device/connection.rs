//! What is known of the delays between a device and this computer.

use super::Bus;
use crate::time::Micros;

/// People may feel an interval longer than this.
const FELT: Micros = Micros::millis(2);

/// The connection of one node.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Connection {
    /// The polling interval of its USB endpoint.
    pub interval: Option<Micros>,
    /// The kernel setting that overrides it for such devices, and its value in milliseconds; 0 means no override.
    pub asks: Option<(String, u32)>,
    /// Hubs between it and the computer.
    pub hubs: u8,
    /// Whether the kernel may suspend it when idle.
    pub rests: bool,
}

impl Connection {
    /// The actual polling interval.
    #[must_use]
    pub fn asked(&self) -> Option<Micros> {
        let set = self.asks.as_ref().filter(|(_, ms)| *ms > 0);
        set.map(|(_, ms)| Micros::millis(u64::from(*ms))).or(self.interval)
    }

    /// What adds delay on this connection, each with its remedy and who can apply it.
    #[must_use]
    pub fn causes(&self, bus: Bus) -> Vec<String> {
        let mut out = Vec::new();
        if bus == Bus::BLUETOOTH {
            out.push(
                "By radio: the link rests between reports, and lost reports are sent again. A cable helps, or moving closer to the receiver; nothing on this computer does.".to_owned(),
            );
        }
        let ms = |time: Micros| time.0 as f64 / 1000.0;
        match (self.asked().filter(|asked| *asked > FELT), &self.asks) {
            (Some(asked), Some((name, set))) if *set > 0 => out.push(format!(
                "The kernel polls it only every {} ms, because {name} is {set}. Set that to 0 or 1 on the kernel's command line (needs root; this program does not do it).",
                ms(asked)
            )),
            (Some(asked), Some((name, _))) => out.push(format!(
                "It asks to be polled only every {} ms, so a press may wait that long. {name}=1 on the kernel's command line polls it every ms (needs root; this program does not do it).",
                ms(asked)
            )),
            (Some(asked), None) => out.push(format!(
                "It asks to be polled only every {} ms, so a press may wait that long. The kernel has no setting for such devices.",
                ms(asked)
            )),
            (None, _) => {}
        }
        if self.hubs > 0 {
            let hubs = if self.hubs == 1 { "a hub".to_owned() } else { format!("{} hubs", self.hubs) };
            out.push(format!("It is plugged in behind {hubs}, and has to wait if other devices there send a lot. Try one of the computer's own ports."));
        }
        if self.rests {
            out.push("The kernel may suspend it while nothing is pressed, and the next press has to wake it. Write \"on\" to power/control of its USB device (needs root; this program does not do it).".to_owned());
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn causes_of_delay_come_with_remedies() {
        let plain = Connection { interval: Some(Micros::millis(1)), ..Connection::default() };
        assert_eq!(plain.causes(Bus::USB), Vec::<String>::new());
        let says = |way: &Connection, bus: Bus, words: &[&str]| {
            let causes = way.causes(bus);
            assert_eq!(causes.len(), words.len(), "{causes:?}");
            causes.iter().zip(words).for_each(|(cause, word)| assert!(cause.contains(word), "{cause}"));
        };
        says(&plain, Bus::BLUETOOTH, &["By radio"]);
        let slow = Connection { interval: Some(Micros::millis(8)), ..Connection::default() };
        says(&slow, Bus::USB, &["only every 8 ms, so a press may wait that long. The kernel has no setting"]);
        let stick = Connection { asks: Some(("usbhid.jspoll".into(), 0)), ..slow.clone() };
        says(&stick, Bus::USB, &["usbhid.jspoll=1 on the kernel's command line"]);
        let set = Connection { asks: Some(("usbhid.jspoll".into(), 16)), hubs: 2, rests: true, ..plain };
        says(&set, Bus::USB, &["only every 16 ms, because usbhid.jspoll is 16", "behind 2 hubs", "may suspend it"]);
        assert_eq!(
            Connection { asks: Some(("usbhid.jspoll".into(), 1)), ..slow }.causes(Bus::USB),
            Vec::<String>::new()
        );
    }
}
