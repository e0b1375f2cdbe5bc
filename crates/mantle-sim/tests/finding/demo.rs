//! The demo's devices that describe nothing, with their controls moved by a hand.

use crate::Body;
use crate::device::fits;
use crate::draw::Draw;
use mantle_core::control::{Control, ControlKind, Place};
use mantle_core::finding::{ButtonShape, FieldFound, Want, Wanted};
use mantle_core::time::Micros;
use mantle_files::shipped;
use mantle_hid::{Descriptor, Frame};
use mantle_sim::{SimDevice, SimInterface};
use mantle_talk::HandMove;

pub struct Demo {
    name: String,
    interface: SimInterface,
    now: Micros,
}

/// What is wanted for a control, and the control.
type Pair = (Wanted, Control);

impl Demo {
    pub fn new(name: &str) -> Self {
        let file = shipped::device(name).expect("it is shipped");
        let device = SimDevice::new(name, &file, "1-1", None).expect("it is whole");
        let mut interface = device.interfaces[0].clone();
        interface.handle_move(0, HandMove::Take(true));
        Self { name: name.into(), interface, now: Micros(0) }
    }

    fn controls(&self) -> Vec<Pair> {
        let controls = &self.interface.layout.parts[0].controls;
        let one = |wanted: Wanted| {
            let control = controls.iter().find(|control| control.plays == Some(wanted.plays))?;
            // A part of a pad may have a button where others have a trigger.
            let fits = (control.kind == ControlKind::Button) == (wanted.want == Want::Button);
            fits.then(|| (wanted, control.clone()))
        };
        Wanted::common().into_iter().filter_map(one).collect()
    }

    fn control(&self, wanted: &Wanted) -> Control {
        self.controls().into_iter().find(|(own, _)| own == wanted).expect("it is there").1
    }
}

impl Body for Demo {
    fn name(&self) -> &str {
        &self.name
    }

    fn rate(&self) -> u64 {
        self.interface.file.rate.into()
    }

    fn shape(&self) -> ButtonShape {
        ButtonShape::of(&Descriptor::parse(&self.interface.bytes).expect("a descriptor"))
    }

    fn wanted(&self) -> Vec<Wanted> {
        self.controls().into_iter().map(|(wanted, _)| wanted).collect()
    }

    fn set(&mut self, wanted: &Wanted, position: f64) {
        let control = self.control(wanted);
        let share = match wanted.want {
            Want::Stick => (position + 1.0) / 2.0,
            Want::DPad => position / 8.0,
            Want::Button | Want::Trigger => position,
        };
        let number = control.number.0;
        let act = if wanted.want == Want::DPad && position < 0.0 {
            HandMove::Rest { control: number }
        } else {
            HandMove::Put { control: number, share: share as f32 }
        };
        self.interface.handle_move(0, act);
    }

    fn rest(&mut self) {
        self.interface.handle_move(0, HandMove::Take(true));
    }

    fn report(&mut self, _: &mut Draw) -> Vec<u8> {
        self.now = self.now.after(Micros(1_000_000 / self.rate()));
        self.interface.reports_at(self.now, false).pop().expect("it streams")
    }

    fn is_right(&mut self, wanted: &Wanted, found: &FieldFound, draw: &mut Draw) -> bool {
        let (control, shape, all) = (self.control(wanted), self.shape(), self.controls());
        let mut frame = Frame::default();
        let (mut numbers, mut exact) = (Vec::new(), true);
        for _ in 0..300 {
            self.rest();
            for (wanted, _) in &all {
                let position = match wanted.want {
                    Want::Button => f64::from(u8::from(draw.chance(0.5))),
                    Want::DPad => draw.whole([0, 8]) as f64 - 1.0,
                    Want::Stick => draw.between([-1.0, 1.0]),
                    Want::Trigger => draw.share(),
                };
                self.set(wanted, position);
            }
            let report = self.report(draw);
            self.interface.layout.decode(&report, &mut frame).expect("a report");
            let mut state = Vec::new();
            shape.put(&report, &mut state);
            let raw = match control.place {
                Place::Bit(bit) => i32::from(frame.bit(bit)),
                Place::Value(value) => frame.values[usize::from(value)],
            };
            match found {
                FieldFound::Button(field, low) => exact &= ((field.of(&state) != 0) != *low) == (raw != 0),
                FieldFound::Hat { field, up, steps } => {
                    let number = field.of(&state) - up;
                    let inside = (0..i32::from(*steps)).contains(&number);
                    exact &= if inside { number == raw } else { !(0..8).contains(&raw) };
                }
                FieldFound::Axis { field, .. } => numbers.push((f64::from(raw), f64::from(field.of(&state)))),
                FieldFound::Four(..) | FieldFound::Value(..) => exact = false,
            }
        }
        self.rest();
        let range = f64::from(control.max) - f64::from(control.min);
        exact && (numbers.is_empty() || fits(&numbers, range))
    }

    fn truth(&self, wanted: &Wanted) -> String {
        format!("{:?}", self.control(wanted))
    }
}
