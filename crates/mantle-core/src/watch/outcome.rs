//! What becomes of a press.

use crate::binding::Target;

/// What became of something that is pressed or moved, as far as its member is concerned.
#[derive(Clone, PartialEq, Debug)]
pub enum Outcome {
    /// It plays these, each by how much, 0 to 1.
    Gives(Vec<(Target, f32)>),
    /// It does something other than play: it holds a layer, or goes with another control.
    Helps,
    /// Nothing is bound to it, and why.
    Unbound(&'static str),
    /// It plays something only in this layer, which is off; what is held for that, and whether that is a switch.
    OtherLayer(String, String, bool),
    /// An active layer has nothing for it; its name, and whether it was switched on.
    Hidden(String, bool),
    /// It plays only while these are held as well.
    Together(Vec<String>),
    /// It counts from this share of its travel on, and is at that one; what it plays then, and the place of its layer.
    Below(f32, f32, Target, usize),
    /// It does not count yet, or was switched off: said elsewhere, or intended.
    Waits,
}
