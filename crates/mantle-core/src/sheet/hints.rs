//! What a sheet tells the person who connects such a device.

use crate::control::Control;

/// What the person who connects such a device should know, besides how it is paired.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct SheetHints {
    /// What its lamps do meanwhile.
    pub lamps: Option<String>,
    /// What it does if it belongs to another machine.
    pub elsewhere: Option<String>,
    /// Which of its modes to choose.
    pub mode: Option<String>,
}

/// How a receiver says that no controller is at its other end.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct SheetReceiver {
    /// The name of the control that says it.
    pub control: String,
    /// Its value if nobody is there.
    pub nobody: i32,
    /// Which button pairs it.
    pub pairs: Option<String>,
}

impl SheetReceiver {
    /// The control that says it, and its value if nobody is there.
    pub(super) fn find(&self, controls: &[Control]) -> Option<(Control, i32)> {
        let control = controls.iter().find(|control| control.name == self.control)?;
        Some((control.clone(), self.nobody))
    }
}
