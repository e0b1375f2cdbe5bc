//! Notices that the machine goes to sleep (`org.freedesktop.login1`), before it does.

use crate::{BusFault, on_system};
use std::future::poll_fn;
use std::pin::Pin;
use std::time::Duration;
use zbus::OwnedFd;
use zbus::export::futures_core::Stream;

const NAME: &str = "org.freedesktop.login1";
const PATH: &str = "/org/freedesktop/login1";
const MANAGER: &str = "org.freedesktop.login1.Manager";
/// How long after a bus has gone it is looked for again.
const AGAIN: Duration = Duration::from_secs(30);

/// Reports sleep from now on: `heard` is called with `true` before the machine sleeps and with `false` once it has woken. It sleeps only once `heard`
/// has returned, or the login manager's patience has ended. `fault` is told, once, why nothing will be heard.
pub fn watch_sleep(mut heard: impl FnMut(bool) + Send + 'static, fault: impl Fn(&BusFault) + Send + 'static) {
    std::thread::spawn(move || {
        let mut said = false;
        loop {
            let ended = zbus::block_on(listen(&mut heard));
            if let Err(why) = ended
                && !std::mem::replace(&mut said, true)
            {
                fault(&why);
            }
            std::thread::sleep(AGAIN);
        }
    });
}

/// Listens until the bus is gone.
async fn listen(heard: &mut impl FnMut(bool)) -> Result<(), BusFault> {
    let fault = BusFault::of("sleep is only noticed after the machine has woken");
    let manager = on_system(NAME, PATH, MANAGER).await.map_err(&fault)?;
    let mut signals = manager.receive_signal("PrepareForSleep").await.map_err(&fault)?;
    // While this is held, the machine waits before it sleeps.
    let mut holds = Some(hold(&manager).await.map_err(&fault)?);
    while let Some(signal) = poll_fn(|context| Pin::new(&mut signals).poll_next(context)).await {
        let Ok(sleeps) = signal.body().deserialize::<bool>() else { continue };
        heard(sleeps);
        holds = None;
        if !sleeps {
            holds = hold(&manager).await.ok();
        }
    }
    drop(holds);
    Ok(())
}

async fn hold(manager: &zbus::Proxy<'_>) -> zbus::Result<OwnedFd> {
    let why = ("sleep", "Placid Mantle", "releases what is held", "delay");
    manager.call("Inhibit", &why).await
}
