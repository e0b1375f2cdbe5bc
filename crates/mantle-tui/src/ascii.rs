//! Terminals that show ASCII only: every other character is put in ASCII after drawing.

use ratatui::buffer::Buffer;

/// Replaces what is not ASCII, cell by cell.
pub fn replace(buffer: &mut Buffer) {
    for cell in &mut buffer.content {
        if cell.symbol().is_ascii() {
            continue;
        }
        let instead = match cell.symbol() {
            "●" | "█" | "◉" => "#",
            "○" => "o",
            "◌" => "~",
            "✕" => "x",
            "▲" => "!",
            "✓" => "+",
            "━" | "═" => "=",
            "─" | "–" | "—" => "-",
            "╌" | "·" | "…" => ".",
            "│" | "▏" | "▕" => "|",
            "╭" | "╮" | "╰" | "╯" => "+",
            "▸" | "→" | "▶" => ">",
            "←" | "◀" => "<",
            "↑" => "^",
            "↓" | "▼" => "v",
            "▁" | "▂" => "_",
            "▃" | "▄" => "=",
            "▅" | "▆" | "▇" => "%",
            "µ" => "u",
            _ => "?",
        };
        cell.set_symbol(instead);
    }
}
