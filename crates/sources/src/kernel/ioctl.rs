//! The questions that the `evdev` crate does not ask, and the clock.

#![allow(unsafe_code, reason = "an ioctl is a call into the kernel with a pointer")]

use std::{io, os::fd::AsRawFd};

nix::ioctl_write_ptr!(eviocsclockid, b'E', 0xa0, nix::libc::c_int);
nix::ioctl_read_buf!(eviocgmtslots, b'E', 0x0a, i32);
nix::ioctl_read!(eviocgversion, b'E', 0x01, nix::libc::c_int);

/// Asks a node for something that every one answers.
///
/// # Errors
/// When its device is gone.
pub(super) fn is_there(node: &impl AsRawFd) -> io::Result<()> {
    let mut version = 0;
    // SAFETY: the request takes a pointer to an int, which outlives the call.
    unsafe { eviocgversion(node.as_raw_fd(), &raw mut version) }?;
    Ok(())
}

/// Has a node stamp its events by the monotonic clock instead of the time of
/// day, which can jump.
pub(super) fn use_monotonic_clock(node: &impl AsRawFd) -> io::Result<()> {
    let clock = nix::libc::CLOCK_MONOTONIC;
    // SAFETY: the request takes a pointer to an int, which outlives the call.
    unsafe { eviocsclockid(node.as_raw_fd(), &raw const clock) }?;
    Ok(())
}

/// The present value of a multitouch code in each of `count` slots.
pub(super) fn slots(node: &impl AsRawFd, code: u16, count: usize) -> io::Result<Vec<i32>> {
    // The buffer is the code, then a value a slot.
    let mut buffer = vec![0; count + 1];
    buffer[0] = i32::from(code);
    // SAFETY: the request's length is that of the buffer it is given.
    unsafe { eviocgmtslots(node.as_raw_fd(), &mut buffer) }?;
    buffer.remove(0);
    Ok(buffer)
}
