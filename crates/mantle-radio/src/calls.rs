//! Requests to the daemon, as messages on the bus.

use crate::objects::{ADAPTER, DEVICE};
use std::collections::HashMap;
use zbus::{Message, ObjectPath, OwnedVariant, Result, Variant};

pub(crate) const NAME: &str = "org.bluez";
pub(crate) const PROPERTIES: &str = "org.freedesktop.DBus.Properties";
pub(crate) const MANAGER: &str = "org.freedesktop.DBus.ObjectManager";
/// Where the agent is.
pub(crate) const AGENT: &str = "/placid_mantle/agent";
const AGENTS: &str = "org.bluez.AgentManager1";
const BUS: &str = "org.freedesktop.DBus";

fn ask<B: zbus::wire::DynamicType + zbus::export::serde::Serialize>(
    path: &str,
    interface: &str,
    method: &str,
    body: &B,
) -> Result<Message> {
    Message::method_call(path, method).destination(NAME).interface(interface).build(body)
}

/// Everything that is known.
pub(crate) fn objects() -> Result<Message> {
    ask("/", MANAGER, "GetManagedObjects", &())
}

/// From now on the daemon's own reports, and whether it is there, are heard.
pub(crate) fn listen() -> Vec<Result<Message>> {
    let rules = [
        format!("type='signal',sender='{NAME}'"),
        format!("type='signal',sender='{BUS}',member='NameOwnerChanged',arg0='{NAME}'"),
    ];
    let add = |rule: String| {
        Message::method_call("/org/freedesktop/DBus", "AddMatch").destination(BUS).interface(BUS).build(&rule)
    };
    rules.into_iter().map(add).collect()
}

/// The agent is there. It is for what this connection pairs, and is never made the default one.
pub(crate) fn register() -> Result<Message> {
    ask("/org/bluez", AGENTS, "RegisterAgent", &(ObjectPath::try_from(AGENT)?, "KeyboardDisplay"))
}

/// Requests to the adapter without further arguments.
pub(crate) fn adapter(path: &str, method: &str) -> Result<Message> {
    ask(path, ADAPTER, method, &())
}

/// Devices of either radio are searched for, and their signal strength is reported.
pub(crate) fn filter(path: &str) -> Result<Message> {
    ask(path, ADAPTER, "SetDiscoveryFilter", &HashMap::from([("Transport", Variant::from("auto"))]))
}

/// A device is removed with its keys.
pub(crate) fn remove(adapter: &str, device: &str) -> Result<Message> {
    ask(adapter, ADAPTER, "RemoveDevice", &ObjectPath::try_from(device)?)
}

/// Requests to a device without further arguments.
pub(crate) fn device(path: &str, method: &str) -> Result<Message> {
    ask(path, DEVICE, method, &())
}

/// A property is set.
pub(crate) fn set(path: &str, interface: &str, name: &str, value: impl Into<Variant<'static>>) -> Result<Message> {
    let value = OwnedVariant::try_from(value.into())?;
    ask(path, PROPERTIES, "Set", &(interface, name, value))
}
