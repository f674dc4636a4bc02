//! The `gtrig` program.

use std::process::ExitCode;

fn main() -> ExitCode {
    gtrig::commands::main()
}
