//! What a game ships: the compiled rig of the crane cab, a pad, and a hundred frames, without
//! `std`. It prints what came of them. `scripts/size` builds it, runs it and says how large
//! it is.
#![no_std]
#![no_main]

extern crate alloc;

use core::{
    alloc::{GlobalAlloc, Layout},
    error::Error,
    ffi::{c_int, c_void},
    panic::PanicInfo,
};
use gtrig_core::{CleanText, ControlInfo, ControlKind, DeviceInfo, DeviceKind, Nanos};
use gtrig_embed::{Input, compiled};

const RIG: &[u8] = include_bytes!("../../../crates/embed/tests/form-3/kestrel-quay.rig");
const ACTIONS: [&str; 4] = ["slew", "hoist", "grip", "horn"];

/// The memory of C.
struct Malloc;

// SAFETY: `aligned_alloc` and `free` keep the contract; a size is a multiple of its alignment.
unsafe impl GlobalAlloc for Malloc {
    unsafe fn alloc(&self, layout: Layout) -> *mut u8 {
        let layout = layout.pad_to_align();
        // SAFETY: the alignment is a power of two, and the size a multiple of it.
        unsafe { libc::aligned_alloc(layout.align().max(16), layout.size().next_multiple_of(16)) }
            .cast()
    }

    unsafe fn dealloc(&self, memory: *mut u8, _: Layout) {
        // SAFETY: it came from `alloc`.
        unsafe { libc::free(memory.cast::<c_void>()) }
    }
}

#[global_allocator]
static MEMORY: Malloc = Malloc;

#[panic_handler]
fn panic(_: &PanicInfo) -> ! {
    // SAFETY: it ends the process.
    unsafe { libc::abort() }
}

/// The library `alloc` comes compiled for programs that unwind. Here nothing does.
#[unsafe(no_mangle)]
extern "C" fn rust_eh_personality() {}

/// As above.
#[unsafe(no_mangle)]
extern "C" fn _Unwind_Resume() -> ! {
    // SAFETY: it ends the process.
    unsafe { libc::abort() }
}

#[unsafe(no_mangle)]
extern "C" fn main() -> c_int {
    match play() {
        Ok(()) => 0,
        Err(_) => 1,
    }
}

fn play() -> Result<(), alloc::boxed::Box<dyn Error>> {
    let mut input = Input::new(compiled::unpack(RIG)?);
    let axis = ControlKind::Axis { min: -32_768, centre: 0, max: 32_767 };
    let controls = [("south", ControlKind::Button), ("stick-l-x", axis), ("stick-l-y", axis)];
    let pad = DeviceInfo {
        identity: "usb-1".into(),
        kind: DeviceKind::Pad,
        name: CleanText::new("training pad"),
        bus: CleanText::default(),
        slot: None,
        controls: controls.map(|(code, kind)| ControlInfo::new(code, kind)).into(),
    };
    let pad = input.plug(pad, Nanos(0))?;
    let south = input.control(pad, "south").ok_or("no such control")?;
    let stick = input.control(pad, "stick-l-x").ok_or("no such control")?;
    let mut reader = input.reader();
    for frame in 1..=100 {
        let now = Nanos::from_millis(frame * 16);
        input.feed(now, &[(south, i32::from(frame % 10 < 5)), (stick, frame as i32 * 300)]);
        input.frame(now);
    }
    let news = reader.look(&input);
    for name in ACTIONS {
        let action = input.action(name).ok_or("no such action")?;
        let (value, presses) = (f64::from(input.value(action)), news.presses(action));
        // SAFETY: the format asks for what is given, and the name is as long as is said.
        unsafe {
            let length = name.len() as c_int;
            let name = name.as_ptr();
            libc::printf(c"%.*s %.3f, %u presses\n".as_ptr(), length, name, value, presses);
        }
    }
    // SAFETY: all that was printed goes out.
    unsafe { libc::fflush(core::ptr::null_mut()) };
    Ok(())
}
