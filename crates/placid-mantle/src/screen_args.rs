//! Arguments of every command that opens a screen.

use clap::Args;

/// How the screen is drawn.
#[derive(Args, Debug, Clone, Copy)]
pub struct ScreenArgs {
    /// Draw with ASCII characters only
    #[arg(long)]
    pub ascii: bool,
    /// Draw only from snapshots that were written out and read back
    #[arg(long, hide = true)]
    pub piped: bool,
}
