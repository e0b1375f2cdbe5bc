//! What becomes of a press.

use crate::binding::Target;

/// What became of something that is pressed or moved, as far as its member.
#[derive(Clone, PartialEq, Debug)]
pub enum Outcome {
    /// It plays these; each by how much, 0 to 1.
    Gives(Vec<(Target, f32)>),
    /// It does something beside playing: it holds a layer, or goes with another control.
    Helps,
    /// Nothing is bound to it, and why.
    Unbound(&'static str),
    /// It plays something in this layer only, which is off; what is held for it, and whether that is a switch.
    OtherLayer(String, String, bool),
    /// A layer that is on has nothing for it; its name, and whether it was switched on.
    Hidden(String, bool),
    /// It plays only while these are held as well.
    Together(Vec<String>),
    /// It counts from this share of its travel on, and is at that one; what it plays then, and the place of its layer.
    Below(f32, f32, Target, usize),
    /// It does not count yet, or was switched off: that is said elsewhere, or as it shall be.
    Waits,
}
