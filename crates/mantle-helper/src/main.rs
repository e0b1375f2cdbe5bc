//! The helper as a program: its socket comes as its standard input.
#![forbid(unsafe_code)]

use mantle_helper::hider::CoverPaths;
use mantle_helper::serve::serve;
use rustix::fd::AsFd;
use std::os::unix::net::{UnixListener, UnixStream};
use std::process::ExitCode;

fn main() -> ExitCode {
    let served = (|| {
        if std::env::args_os().len() > 1 || !rustix::process::geteuid().is_root() {
            return Err(std::io::Error::other(
                "this program is only started by its socket, as root (see: placid-mantle setup --install --helper)",
            ));
        }
        let listener = UnixListener::from(std::io::stdin().as_fd().try_clone_to_owned()?);
        let (ends, signal) = UnixStream::pair()?;
        for number in [1, 2, 15] {
            signal_hook::low_level::pipe::register(number, signal.try_clone()?)?;
        }
        serve(&listener, &ends, CoverPaths::default())
    })();
    match served {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("placid-mantle-helper: {error}");
            ExitCode::FAILURE
        }
    }
}
