//! What the daemon asks of the agent.

use mantle_core::connecting::Dialogue;
use zbus::{Message, OwnedObjectPath};

/// What the daemon asks.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum Request {
    /// Something about the device with this path: what the person has to be asked, or shown.
    Ask(String, Dialogue),
    /// The code that is shown is still being typed: nothing new is asked, and this is answered at once.
    Shown(String, Dialogue),
    /// A known device wants to use a service.
    Service(String),
    /// What was asked is asked no longer.
    Cancel,
    /// The daemon has forgotten the agent.
    Release,
}

/// Interprets a call; none if there is no such call.
pub(crate) fn read(call: &Message) -> Option<Request> {
    let header = call.header();
    if header.interface()?.as_str() != "org.bluez.Agent1" {
        return None;
    }
    let body = call.body();
    let code = |number: u32| format!("{number:06}");
    Some(match header.member()?.as_str() {
        "RequestPinCode" => Request::Ask(path(body.deserialize().ok()?), Dialogue::EnterPin),
        "RequestPasskey" => Request::Ask(path(body.deserialize().ok()?), Dialogue::EnterCode),
        "RequestAuthorization" => Request::Ask(path(body.deserialize().ok()?), Dialogue::Allow),
        "RequestConfirmation" => {
            let (device, number): (OwnedObjectPath, u32) = body.deserialize().ok()?;
            Request::Ask(path(device), Dialogue::Compare(code(number)))
        }
        "DisplayPasskey" => {
            let (device, number, typed): (OwnedObjectPath, u32, u16) = body.deserialize().ok()?;
            Request::Shown(path(device), Dialogue::Type { code: code(number), typed })
        }
        "DisplayPinCode" => {
            let (device, pin): (OwnedObjectPath, String) = body.deserialize().ok()?;
            let pin = pin.chars().filter(char::is_ascii_graphic).take(16).collect();
            Request::Shown(path(device), Dialogue::Type { code: pin, typed: 0 })
        }
        "AuthorizeService" => {
            let (device, _service): (OwnedObjectPath, String) = body.deserialize().ok()?;
            Request::Service(path(device))
        }
        "Cancel" => Request::Cancel,
        "Release" => Request::Release,
        _ => return None,
    })
}

fn path(path: OwnedObjectPath) -> String {
    path.as_str().to_owned()
}
