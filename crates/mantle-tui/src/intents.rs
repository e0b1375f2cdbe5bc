//! What the person may want in one view, or in one conversation.

/// What the person wants in the Profiles view.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum ProfilesKey {
    /// Open it.
    Open,
    /// The chosen slot plays by the chosen profile.
    PlayBy,
    /// The chosen slot gets a new one, by purpose.
    New,
    /// A copy of the chosen one.
    Copy,
    /// Another name for it.
    Rename,
    /// It is thrown away.
    Delete,
    /// A file of somebody else's is imported.
    Import,
    /// Its file is copied to another place.
    Export,
    /// Others are compared with it.
    Compare,
    /// Further differences.
    Later,
    /// Those before.
    Earlier,
}

/// What the person wants in the Bindings view.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Binding {
    /// The next of the pad's controls.
    Next,
    /// The one before.
    Before,
    /// The chosen one gets the control that is pressed next.
    Press,
    /// Nothing plays the chosen one.
    Nothing,
    /// The chosen one plays as it would unasked.
    AsGuessed,
    /// The chosen one gets a control that is chosen from a list.
    Type,
    /// The whole stick, hat or block that the chosen one belongs to gets its controls in one act.
    Block,
    /// Many get their controls from a list of numbers.
    List,
    /// The chosen option gets a value that is typed.
    TypeOption,
    /// Ten steps more of it.
    MuchMore,
    /// Ten steps less of it.
    MuchLess,
    /// The chosen one gets a name.
    Name,
    /// A key, or something of the mouse, is named, and then what shall play it pressed.
    KeyTarget,
    /// The profile is called something else.
    Rename,
    /// The slot plays by a copy of its profile.
    Copy,
    /// The next layer, and the base behind the last one.
    NextLayer,
    /// A layer is named, and then what shall be held for it pressed.
    NewLayer,
    /// The layer goes, with all that is said in it.
    DropLayer,
    /// The layer is on while its control is held, or each press turns it on or off.
    ToggleLayer,
    /// The next option of what is chosen.
    NextOption,
    /// The one before.
    BeforeOption,
    /// More of it.
    More,
    /// Less of it.
    Less,
}

/// What the person wants of a roll call. Four keys steer it; what they mean depends on what is asked.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Call {
    /// Call all, or those that are marked.
    Begin,
    /// Mark the chosen target to be called.
    Mark,
    /// Once more; move the control.
    Enter,
    /// Skip; the control plays both.
    Tab,
    /// Back; leave the control where it is.
    Backspace,
    /// Stop, and keep what was answered.
    Stop,
}

/// What the person wants in the Pad view.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum PadKey {
    /// The next of the pad's controls.
    Next,
    /// The one before.
    Before,
    /// Only the chosen one is sent, or all again.
    Only,
    /// What has been seen of the pad so far is forgotten.
    Again,
    /// The chosen one is pressed by itself in five seconds.
    Press,
    /// Devices rumble more strongly, or not at all.
    Rumble,
    /// Lamps show something else.
    Lamp,
}

/// What the person wants of rules for games.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum RuleKey {
    /// How slots are now is for the chosen program.
    Use,
    /// Everything rests while the chosen program runs.
    StayOut,
    /// The rule of the game that is played is thrown away.
    Drop,
}

/// What the person wants in the Feel view.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum FeelKey {
    /// The next setting.
    Next,
    /// The one before.
    Before,
    /// The next stick or trigger.
    NextShaped,
    /// The one before.
    BeforeShaped,
    /// The chosen setting one step up.
    More,
    /// One step down.
    Less,
    /// Ten steps up.
    MuchMore,
    /// Ten steps down.
    MuchLess,
    /// The chosen setting gets a value that is typed.
    Type,
    /// As it is where nobody has changed anything.
    Usual,
    /// The old feel plays, or the new one again.
    Flip,
    /// Measure the dead zones.
    Measure,
    /// Walk the output up.
    Walk,
    /// What is proposed is right; the game has moved.
    Take,
    /// Stop what goes on.
    Leave,
}

/// What the person wants of a calibration.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Calibrate {
    /// Measure the seen device's axes.
    Begin,
    /// They are as the descriptor says.
    Forget,
    /// Done with this; of a proposal: take it.
    Next,
    /// From the beginning.
    Again,
    /// The proposed dead zones go into the profile.
    DeadZones,
    /// Leave everything as it was.
    Stop,
}

/// What is wanted while a device is connected.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum ConnectKey {
    /// The one that did not come is removed, and paired anew.
    Anew,
    /// Another name.
    Rename,
    /// It is forgotten.
    Forget,
    /// Its link is dropped.
    Drop,
    /// The radio is switched on.
    SwitchOn,
    /// It is looked for more.
    LookOn,
    /// The view is closed; whatever is on its way stays on it.
    Close,
}
