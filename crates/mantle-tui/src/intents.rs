//! What a person can want in one view or conversation.

/// Intents of the Profiles view.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum ProfilesKey {
    /// Open the view.
    Open,
    /// Make the slot play by the chosen profile.
    PlayBy,
    /// Make a new profile for the slot, by purpose.
    New,
    /// Copy the chosen profile.
    Copy,
    /// Rename it.
    Rename,
    /// Delete it.
    Delete,
    /// Import a file.
    Import,
    /// Export its file.
    Export,
    /// Compare other profiles with it.
    Compare,
    /// Show further differences.
    Later,
    /// Show previous differences.
    Earlier,
}

/// Intents of the Bindings view.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Binding {
    /// Choose the next target.
    Next,
    /// Choose the previous one.
    Before,
    /// Bind the next press to the chosen target.
    Press,
    /// Unbind the target.
    Nothing,
    /// Give the target its default binding.
    AsGuessed,
    /// Choose its source from a list.
    Type,
    /// Bind the whole stick, hat or block that the target belongs to.
    Block,
    /// Bind many targets from a list of numbers.
    List,
    /// Type where the controls of the device sit.
    Face,
    /// Type a value for the chosen option.
    TypeOption,
    /// Ten steps up.
    MuchMore,
    /// Ten steps down.
    MuchLess,
    /// Name what the target does in the game.
    Name,
    /// Choose a key or a mouse action, then press its source.
    KeyTarget,
    /// Rename the profile.
    Rename,
    /// Make the slot play by a copy of its profile.
    Copy,
    /// Show the next layer; after the last, the base.
    NextLayer,
    /// Name a new layer, then press the control that holds it.
    NewLayer,
    /// Delete the layer with everything in it.
    DropLayer,
    /// Let the layer be held, or toggled by presses.
    ToggleLayer,
    /// Choose the next option.
    NextOption,
    /// Choose the previous one.
    BeforeOption,
    /// One step up.
    More,
    /// One step down.
    Less,
}

/// Intents of a roll call. Four keys steer it; their meaning depends on the question.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Call {
    /// Call all targets, or those that are marked.
    Begin,
    /// Mark the chosen target.
    Mark,
    /// Ask again; or move the control here.
    Enter,
    /// Skip; or let the control play both.
    Tab,
    /// Go back; or leave the control where it is.
    Backspace,
    /// Stop, and keep the answers.
    Stop,
}

/// Intents of the Pad view.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum PadKey {
    /// Choose the next control.
    Next,
    /// Choose the previous one.
    Before,
    /// Send only the chosen control, or all again.
    Only,
    /// Forget what has been tried.
    Again,
    /// Press the chosen control automatically in five seconds.
    Press,
    /// Step the strength of rumble.
    Rumble,
    /// Step what the lamps show.
    Lamp,
}

/// Intents about rules for games.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum RuleKey {
    /// Make a rule from the slots as they are now, for the chosen program.
    Use,
    /// Make a rule that rests every slot while the chosen program runs.
    StayOut,
    /// Delete the rule of the running game.
    Drop,
}

/// Intents of the Feel view.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum FeelKey {
    /// Choose the next setting.
    Next,
    /// Choose the previous one.
    Before,
    /// Choose the next stick or trigger.
    NextShaped,
    /// Choose the previous one.
    BeforeShaped,
    /// One step up.
    More,
    /// One step down.
    Less,
    /// Ten steps up.
    MuchMore,
    /// Ten steps down.
    MuchLess,
    /// Type a value for the setting.
    Type,
    /// Return the setting to its default.
    Usual,
    /// Switch between the old feel and the new.
    Flip,
    /// Measure the dead zones.
    Measure,
    /// Raise the output until the game reacts.
    Walk,
    /// Accept the proposal; or, the game has reacted.
    Take,
    /// Stop measuring or raising.
    Leave,
}

/// Intents of a calibration.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Calibrate {
    /// Begin with the shown device.
    Begin,
    /// Forget it: axes are as the descriptor says.
    Forget,
    /// This step is done; or accept the proposal.
    Next,
    /// Start over.
    Again,
    /// Accept it, and save the proposed dead zones to the profile.
    DeadZones,
    /// Discard it.
    Stop,
}

/// Intents of the Connect view.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum ConnectKey {
    /// Remove the stale pairing and pair anew.
    Anew,
    /// Rename the device.
    Rename,
    /// Forget it.
    Forget,
    /// Disconnect it.
    Drop,
    /// Switch the radio on.
    SwitchOn,
    /// Search longer.
    LookOn,
    /// Close the view; whatever is under way goes on.
    Close,
}
