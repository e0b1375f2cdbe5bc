//! The systemd units, as text: written by `setup` and `service`, and carried by the package.

use mantle_helper::serve::SOCKET;

/// The helper's file name.
pub const HELPER: &str = "placid-mantle-helper";

/// Where the package puts the helper.
pub const PACKAGED: &str = "/usr/lib/placid-mantle";

/// The helper's socket unit.
pub fn helper_socket(written_by: &str) -> String {
    format!(
        "# {written_by}\n\
         [Unit]\n\
         Description=Placid Mantle: where the helper is asked\n\
         \n\
         [Socket]\n\
         ListenStream={SOCKET}\n\
         # Everybody may ask; the helper judges who may have what done.\n\
         SocketMode=0666\n\
         RemoveOnStop=yes\n\
         \n\
         [Install]\n\
         WantedBy=sockets.target\n"
    )
}

/// The helper's service unit, started by its socket.
pub fn helper_service(written_by: &str, program: &str) -> String {
    format!(
        "# {written_by}\n\
         [Unit]\n\
         Description=Placid Mantle: hides devices that are played from games\n\
         Requires={HELPER}.socket\n\
         \n\
         [Service]\n\
         ExecStart={program}\n\
         StandardInput=socket\n\
         StandardOutput=journal\n\
         StandardError=journal\n\
         CapabilityBoundingSet=CAP_CHOWN CAP_DAC_OVERRIDE CAP_FOWNER\n\
         NoNewPrivileges=yes\n\
         ProtectSystem=strict\n\
         ReadWritePaths=/run\n\
         ProtectHome=yes\n\
         PrivateTmp=yes\n\
         RestrictAddressFamilies=AF_UNIX AF_NETLINK\n\
         RestrictNamespaces=yes\n\
         RestrictRealtime=yes\n\
         RestrictSUIDSGID=yes\n\
         LockPersonality=yes\n\
         MemoryDenyWriteExecute=yes\n\
         SystemCallArchitectures=native\n\
         TasksMax=16\n\
         MemoryMax=64M\n"
    )
}

/// A word quoted for a unit file.
fn quoted(word: &str) -> String {
    let mut text = String::from("\"");
    for c in word.chars() {
        match c {
            '"' | '\\' => text.extend(['\\', c]),
            '%' => text.push_str("%%"),
            '$' => text.push_str("$$"),
            c => text.push(c),
        }
    }
    text.push('"');
    text
}

/// The user unit that runs the engine.
pub fn engine(written_by: &str, program: &str) -> String {
    format!(
        "# {written_by}\n\
         [Unit]\n\
         Description=Placid Mantle: controllers as standard gamepads\n\
         \n\
         [Service]\n\
         Type=notify\n\
         ExecStart={} serve\n\
         Restart=on-failure\n\
         RestartSec=2\n\
         # It ends in order within 2 s.\n\
         TimeoutStopSec=10\n\
         # It needs /dev, /sys and its own files, and nothing beyond them.\n\
         NoNewPrivileges=yes\n\
         LockPersonality=yes\n\
         MemoryDenyWriteExecute=yes\n\
         RestrictSUIDSGID=yes\n\
         RestrictAddressFamilies=AF_UNIX AF_NETLINK\n\
         SystemCallArchitectures=native\n\
         \n\
         [Install]\n\
         WantedBy=default.target\n",
        quoted(program)
    )
}
