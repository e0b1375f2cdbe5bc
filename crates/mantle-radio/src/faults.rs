//! What the daemon's errors mean.

use mantle_core::connecting::RadioFault;

/// What was being done.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Doing {
    /// Pairing; and whether a code has been requested meanwhile.
    Pairing {
        /// Whether somebody has typed or compared a code.
        code: bool,
    },
    /// Taking up the link.
    Linking,
    /// Anything else.
    Else,
}

/// The meaning of an error of the daemon's; `name` is the part after its last dot. None if the request is as good as done.
pub(crate) fn fault(doing: Doing, name: &str, text: &str) -> Option<RadioFault> {
    let said = |word: &str| text.to_ascii_lowercase().contains(word);
    Some(match name.rsplit('.').next().unwrap_or_default() {
        "AlreadyExists" | "AlreadyConnected" => return None,
        "AuthenticationRejected" | "AuthenticationCanceled" | "Rejected" | "Canceled" => RadioFault::Refused,
        "AuthenticationTimeout" | "NoReply" | "Timeout" | "TimedOut" => RadioFault::NoAnswer,
        "AuthenticationFailed" => match doing {
            Doing::Pairing { code: true } => RadioFault::WrongCode,
            Doing::Pairing { code: false } => RadioFault::Elsewhere,
            Doing::Linking | Doing::Else => RadioFault::StaleKeys,
        },
        "InProgress" => RadioFault::Busy,
        "NotReady" | "ServiceUnknown" | "NameHasNoOwner" => RadioFault::NoRadio,
        "DoesNotExist" | "UnknownObject" | "UnknownMethod" => RadioFault::NotThere,
        "ConnectionAttemptFailed" => RadioFault::NotThere,
        "AccessDenied" | "NotPermitted" | "NotAuthorized" => {
            RadioFault::Other("this account may not do that; log in at the machine itself".into())
        }
        _ if said("key-missing") || said("key missing") => RadioFault::StaleKeys,
        _ if said("timeout") || said("page") || said("host is down") || said("no route") || said("abort") => {
            RadioFault::NotThere
        }
        _ if said("busy") || said("in progress") => RadioFault::Busy,
        _ => RadioFault::Other(mantle_core::visible::visible(&text.chars().take(200).collect::<String>()).into_owned()),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_error_has_its_cause() {
        let pairing = Doing::Pairing { code: false };
        let code = Doing::Pairing { code: true };
        for (doing, name, text, means) in [
            (pairing, "org.bluez.Error.AuthenticationRejected", "", Some(RadioFault::Refused)),
            (pairing, "org.bluez.Error.AuthenticationFailed", "Authentication Failed", Some(RadioFault::Elsewhere)),
            (code, "org.bluez.Error.AuthenticationFailed", "Authentication Failed", Some(RadioFault::WrongCode)),
            (Doing::Linking, "org.bluez.Error.AuthenticationFailed", "", Some(RadioFault::StaleKeys)),
            (pairing, "org.bluez.Error.AuthenticationTimeout", "", Some(RadioFault::NoAnswer)),
            (pairing, "org.bluez.Error.AlreadyExists", "Already Exists", None),
            (Doing::Linking, "org.bluez.Error.Failed", "br-connection-page-timeout", Some(RadioFault::NotThere)),
            (Doing::Linking, "org.bluez.Error.Failed", "br-connection-key-missing", Some(RadioFault::StaleKeys)),
            (Doing::Linking, "org.bluez.Error.Failed", "Host is down", Some(RadioFault::NotThere)),
            (Doing::Linking, "org.bluez.Error.InProgress", "", Some(RadioFault::Busy)),
            (Doing::Else, "org.freedesktop.DBus.Error.ServiceUnknown", "", Some(RadioFault::NoRadio)),
            (Doing::Else, "org.freedesktop.DBus.Error.UnknownObject", "", Some(RadioFault::NotThere)),
        ] {
            assert_eq!(fault(doing, name, text), means, "{name} {text}");
        }
        // Unknown errors keep their own words, without what would harm a terminal.
        let Some(RadioFault::Other(why)) = fault(Doing::Else, "org.bluez.Error.Failed", "odd\u{1b}[2J") else {
            panic!("it is none of the known ones")
        };
        assert!(why.starts_with("odd") && !why.contains('\u{1b}'), "{why}");
    }
}
