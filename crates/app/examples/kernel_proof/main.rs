//! The other side of the kernel: makes devices, plays known events on them,
//! and compares what was recorded with what was sent.
//!
//! `scripts/kernel-proof` runs it inside a virtual machine:
//! `kernel_proof play SENT` while `gtrig record TAKE` runs, then
//! `kernel_proof check SENT TAKE`.

#[cfg(target_os = "linux")]
mod check;
#[cfg(target_os = "linux")]
mod fast;
#[cfg(target_os = "linux")]
mod learn;
#[cfg(target_os = "linux")]
mod made;
#[cfg(target_os = "linux")]
mod play;

#[cfg(target_os = "linux")]
fn main() -> std::process::ExitCode {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let args: Vec<&str> = args.iter().map(String::as_str).collect();
    let result = match args[..] {
        ["play", sent] => play::play(sent.as_ref()),
        ["list"] => play::list(),
        ["learn", folder] => learn::learn(folder.as_ref()),
        ["fast", folder] => fast::fast(folder.as_ref()),
        ["kill", folder] => play::killed(folder.as_ref()),
        ["check", sent, take] => check::check(sent.as_ref(), take.as_ref()),
        _ => Err(anyhow::anyhow!(
            "usage: kernel_proof play SENT | list | learn FOLDER | fast FOLDER | kill FOLDER | check SENT TAKE"
        )),
    };
    match result {
        Ok(()) => std::process::ExitCode::SUCCESS,
        Err(error) => {
            println!("PROOF FAILED: {error:#}");
            std::process::ExitCode::FAILURE
        }
    }
}

#[cfg(not(target_os = "linux"))]
fn main() {}
