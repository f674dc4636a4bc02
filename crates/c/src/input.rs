//! What a game tells and asks.

use crate::{
    device::{device, gt_device_info, presence},
    status::{Refusal, call, gt_status},
    values::{gt_action, gt_closed_by, gt_control, gt_device, gt_driver, gt_state, gt_value},
};
use gtrig_core::{Closed, DeviceId, Nanos, Rig};
use gtrig_embed::{Action, Input, compiled};
use std::{
    ffi::{CStr, c_char},
    slice,
    sync::atomic::{AtomicU64, Ordering},
};

/// The devices, the rig and the run of a game's input.
#[derive(Debug)]
#[allow(non_camel_case_types)]
pub struct gt_input {
    input: Input,
    /// By which readers know it.
    pub(crate) serial: u64,
    /// An error inside has left it in an unknown state.
    is_broken: bool,
}

static SERIAL: AtomicU64 = AtomicU64::new(0);

impl gt_input {
    pub(crate) fn input(&self) -> &Input {
        &self.input
    }

    /// # Safety
    /// `input` is null or from a function that made one, and not freed; nobody else uses it.
    pub(crate) unsafe fn of<'i>(input: *mut gt_input) -> Result<&'i mut gt_input, Refusal> {
        // SAFETY: the caller says so.
        let input = unsafe { input.as_mut() }.ok_or_else(|| Refusal::null("the input"))?;
        match input.is_broken {
            true => Err(Refusal(gt_status::GT_BROKEN, "an error inside broke this input".into())),
            false => Ok(input),
        }
    }

    pub(crate) fn action(&self, action: u32) -> Result<Action, Refusal> {
        let known = self.input.action_at(action as usize);
        known.ok_or_else(|| Refusal::not_found(format!("there is no action {action}")))
    }

    fn device(&self, device: u32) -> Result<DeviceId, Refusal> {
        let known = (device as usize) < self.input.roster().devices().len();
        match known {
            true => Ok(DeviceId(device as u16)),
            false => Err(Refusal::not_found(format!("there is no device {device}"))),
        }
    }
}

/// Runs what a function does with an input; an error inside breaks it.
///
/// # Safety
/// As of [`gt_input::of`].
unsafe fn with(
    input: *mut gt_input,
    run: impl FnOnce(&mut gt_input) -> Result<(), Refusal>,
) -> gt_status {
    // SAFETY: the caller says so.
    let status = call(|| run(unsafe { gt_input::of(input) }?));
    if status == gt_status::GT_BROKEN
        // SAFETY: as above; what was borrowed before is not used any more.
        && let Some(input) = unsafe { input.as_mut() }
    {
        input.is_broken = true;
    }
    status
}

/// # Safety
/// `text` is null, or ends with a zero byte.
pub(crate) unsafe fn text<'t>(text: *const c_char, what: &str) -> Result<&'t str, Refusal> {
    if text.is_null() {
        return Err(Refusal::null(what));
    }
    // SAFETY: it is not null, and the caller says that it ends.
    let text = unsafe { CStr::from_ptr(text) }.to_str();
    text.map_err(|_| Refusal(gt_status::GT_NOT_UTF8, format!("{what} is no UTF-8")))
}

/// # Safety
/// `bytes` is null, or points at so many.
unsafe fn bytes<'b>(bytes: *const u8, length: usize) -> Result<&'b [u8], Refusal> {
    match bytes.is_null() {
        true => Err(Refusal::null("the rig")),
        // SAFETY: it is not null, and the caller says that there are so many.
        false => Ok(unsafe { slice::from_raw_parts(bytes, length) }),
    }
}

/// Writes what was found where the caller wants it.
///
/// # Safety
/// `to` is null, or may be written.
pub(crate) unsafe fn give<T>(to: *mut T, what: T) -> Result<(), Refusal> {
    if to.is_null() {
        return Err(Refusal::null("where the result goes"));
    }
    // SAFETY: it is not null, and the caller says that it may be written.
    unsafe { to.write(what) };
    Ok(())
}

#[cfg(feature = "text")]
fn of_text(text: &[u8]) -> Result<Rig, Refusal> {
    let text = str::from_utf8(text)
        .map_err(|_| Refusal(gt_status::GT_NOT_UTF8, "the rig is no UTF-8".into()))?;
    gtrig_formats::rig::parse("the rig", text)
        .map_err(|mistakes| Refusal(gt_status::GT_NO_RIG, mistakes.to_string()))
}

fn of_compiled(bytes: &[u8]) -> Result<Rig, Refusal> {
    compiled::unpack(bytes).map_err(|fault| Refusal(gt_status::GT_NO_RIG, fault.to_string()))
}

/// # Safety
/// As of [`give`].
unsafe fn make(rig: Rig, to: *mut *mut gt_input) -> Result<(), Refusal> {
    if to.is_null() {
        return Err(Refusal::null("where the input goes"));
    }
    let serial = SERIAL.fetch_add(1, Ordering::Relaxed);
    let input = gt_input { input: Input::new(rig), serial, is_broken: false };
    // SAFETY: the caller says so.
    unsafe { give(to, Box::into_raw(Box::new(input))) }
}

/// Makes the input of a game from the text of a rig (docs/rig-format.md), `length` bytes.
///
/// # Safety
/// `rig` points at so many bytes, and `input` at a pointer.
#[cfg(feature = "text")]
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_input_from_text(
    rig: *const c_char,
    length: usize,
    input: *mut *mut gt_input,
) -> gt_status {
    // SAFETY: the caller says so.
    call(|| unsafe { make(of_text(bytes(rig.cast(), length)?)?, input) })
}

/// Makes the input of a game from a rig that `gtrig compile` has compiled.
///
/// # Safety
/// `rig` points at so many bytes, and `input` at a pointer.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_input_from_compiled(
    rig: *const u8,
    length: usize,
    input: *mut *mut gt_input,
) -> gt_status {
    // SAFETY: the caller says so.
    call(|| unsafe { make(of_compiled(bytes(rig, length)?)?, input) })
}

/// Frees an input. Its readers are freed by themselves, before or after. Null is nothing.
///
/// # Safety
/// `input` is null or from a function that made one, and not freed yet.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_input_free(input: *mut gt_input) {
    if !input.is_null() {
        call(|| {
            // SAFETY: it came from a box, and the caller gives it up.
            drop(unsafe { Box::from_raw(input) });
            Ok(())
        });
    }
}

/// Takes another rig from its text, as when a person has edited its file: what is held goes
/// on, and is no press. What has to be let go before it counts still has to. Toggles are off
/// again; modes, gestures, combos and filters begin anew. Handles stay as they are.
///
/// # Safety
/// `input` is one, and `rig` points at so many bytes.
#[cfg(feature = "text")]
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_reload_text(
    input: *mut gt_input,
    rig: *const c_char,
    length: usize,
) -> gt_status {
    // SAFETY: the caller says so.
    unsafe { with(input, |of| reload(of, of_text(bytes(rig.cast(), length)?)?)) }
}

/// The same from a compiled rig.
///
/// # Safety
/// `input` is one, and `rig` points at so many bytes.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_reload_compiled(
    input: *mut gt_input,
    rig: *const u8,
    length: usize,
) -> gt_status {
    // SAFETY: the caller says so.
    unsafe { with(input, |of| reload(of, of_compiled(bytes(rig, length)?)?)) }
}

fn reload(of: &mut gt_input, rig: Rig) -> Result<(), Refusal> {
    let refused = of.input.reload(rig);
    refused.map_err(|other| Refusal(gt_status::GT_OTHER_ACTIONS, other.to_string()))
}

/// A device is there. Its handle stays the same when it goes and comes back.
///
/// # Safety
/// `input` is one, `info` describes a device, and `handle` may be written.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_plug(
    input: *mut gt_input,
    info: *const gt_device_info,
    time: u64,
    handle: *mut gt_device,
) -> gt_status {
    let plug = |of: &mut gt_input| {
        // SAFETY: the caller says so.
        let info = unsafe { info.as_ref() }.ok_or_else(|| Refusal::null("the device"))?;
        if handle.is_null() {
            return Err(Refusal::null("where the handle goes"));
        }
        // SAFETY: the caller says so.
        let plugged = of.input.plug(unsafe { device(info) }?, Nanos(time));
        let plugged =
            plugged.map_err(|error| Refusal(gt_status::GT_NO_DEVICE, error.to_string()))?;
        // SAFETY: the caller says so.
        unsafe { give(handle, u32::from(plugged.0)) }
    };
    // SAFETY: the caller says so.
    unsafe { with(input, plug) }
}

/// A device went. What was held on it is released.
///
/// # Safety
/// `input` is one.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_unplug(
    input: *mut gt_input,
    device: gt_device,
    time: u64,
) -> gt_status {
    let unplug = |of: &mut gt_input| {
        of.input.unplug(of.device(device)?, Nanos(time));
        Ok(())
    };
    // SAFETY: the caller says so.
    unsafe { with(input, unplug) }
}

/// A device can be heard, or no longer: one of gt_presence. What was held on one that cannot
/// be heard is released.
///
/// # Safety
/// `input` is one.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_set_presence(
    input: *mut gt_input,
    device: gt_device,
    is: u32,
    time: u64,
) -> gt_status {
    let set = |of: &mut gt_input| {
        let (device, presence) = (of.device(device)?, presence(is)?);
        of.input.set_presence(device, presence, Nanos(time));
        Ok(())
    };
    // SAFETY: the caller says so.
    unsafe { with(input, set) }
}

/// Finds an action by its name. Its handle holds for as long as the input does.
///
/// # Safety
/// `input` is one, `name` ends with a zero byte, and `action` may be written.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_find_action(
    input: *mut gt_input,
    name: *const c_char,
    action: *mut gt_action,
) -> gt_status {
    let find = |of: &mut gt_input| {
        // SAFETY: the caller says so.
        let name = unsafe { text(name, "the name") }?;
        let found = of.input.action(name);
        let found =
            found.ok_or_else(|| Refusal::not_found(format!("the rig has no action {name:?}")))?;
        // SAFETY: the caller says so.
        unsafe { give(action, found.place() as u32) }
    };
    // SAFETY: the caller says so.
    unsafe { with(input, find) }
}

/// Finds a control of a device by its standard name, such as "south".
///
/// # Safety
/// `input` is one, `code` ends with a zero byte, and `control` may be written.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_find_control(
    input: *mut gt_input,
    device: gt_device,
    code: *const c_char,
    control: *mut gt_control,
) -> gt_status {
    let find = |of: &mut gt_input| {
        // SAFETY: the caller says so.
        let code = unsafe { text(code, "the name of the control") }?;
        let found = of.input.control(of.device(device)?, code);
        let found =
            found.ok_or_else(|| Refusal::not_found(format!("the device has no {code:?}")))?;
        // SAFETY: the caller says so.
        unsafe { give(control, found.place() as u32) }
    };
    // SAFETY: the caller says so.
    unsafe { with(input, find) }
}

/// Controls took values at a time, `count` of them. What is told of the past, of which a frame
/// has run already, is seen by the next frame. If a handle is none, nothing is taken in.
///
/// # Safety
/// `input` is one, and `values` points at so many.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_feed(
    input: *mut gt_input,
    time: u64,
    values: *const gt_value,
    count: usize,
) -> gt_status {
    let feed = |of: &mut gt_input| {
        let values = match (values.is_null(), count) {
            (_, 0) => &[],
            (true, _) => return Err(Refusal::null("values")),
            // SAFETY: the caller says that there are so many.
            (false, count) => unsafe { slice::from_raw_parts(values, count) },
        };
        let known = |value: &gt_value| of.input.control_at(value.control as usize).is_some();
        if let Some(other) = values.iter().find(|value| !known(value)) {
            return Err(Refusal::not_found(format!("there is no control {}", other.control)));
        }
        for &gt_value { control, value } in values {
            if let Some(control) = of.input.control_at(control as usize) {
                of.input.feed(Nanos(time), &[(control, value)]);
            }
        }
        Ok(())
    };
    // SAFETY: the caller says so.
    unsafe { with(input, feed) }
}

/// Runs a frame: everything up to `now` has happened. One that is not after the last frame
/// runs none.
///
/// # Safety
/// `input` is one.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_frame(input: *mut gt_input, now: u64) -> gt_status {
    let frame = |of: &mut gt_input| {
        of.input.frame(Nanos(now));
        Ok(())
    };
    // SAFETY: the caller says so.
    unsafe { with(input, frame) }
}

/// What an action is after the last frame.
///
/// # Safety
/// `input` is one, and `state` may be written.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_read(
    input: *mut gt_input,
    action: gt_action,
    state: *mut gt_state,
) -> gt_status {
    let read = |of: &mut gt_input| {
        let action = of.action(action)?;
        let of = &of.input;
        let [degrees, reach] = of.angle(action);
        let found = gt_state {
            is_on: of.is_on(action),
            value: of.value(action),
            vector: of.vector(action),
            degrees,
            reach,
            since: of.since(action).0,
        };
        // SAFETY: the caller says so.
        unsafe { give(state, found) }
    };
    // SAFETY: the caller says so.
    unsafe { with(input, read) }
}

/// What drives an action.
///
/// # Safety
/// `input` is one, and `driver` may be written.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_driver_of(
    input: *mut gt_input,
    action: gt_action,
    driver: *mut gt_driver,
) -> gt_status {
    let read = |of: &mut gt_input| {
        let mut found = gt_driver { is_driven: false, device: 0, code: [0; 41] };
        if let Some((device, code)) = of.input.driver(of.action(action)?) {
            (found.is_driven, found.device) = (true, u32::from(device.0));
            // The last byte stays zero: a name has 40 at most.
            for (to, from) in found.code[..40].iter_mut().zip(code.bytes()) {
                *to = from as c_char;
            }
        }
        // SAFETY: the caller says so.
        unsafe { give(driver, found) }
    };
    // SAFETY: the caller says so.
    unsafe { with(input, read) }
}

/// Why an action does nothing although something drives it. Where an action or a mode closes
/// it, `by` is its handle or its place in the rig; otherwise 0. `by` may be null.
///
/// # Safety
/// `input` is one, `closed` may be written, and `by` too if it is not null.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_why_closed(
    input: *mut gt_input,
    action: gt_action,
    closed: *mut gt_closed_by,
    by: *mut u32,
) -> gt_status {
    let read = |of: &mut gt_input| {
        let (is, whom) = match of.input.closed_by(of.action(action)?) {
            None => (gt_closed_by::GT_OPEN, 0),
            Some(Closed::While(by)) => (gt_closed_by::GT_CLOSED_WHILE, u32::from(by.0)),
            Some(Closed::Without(by)) => (gt_closed_by::GT_CLOSED_WITHOUT, u32::from(by.0)),
            Some(Closed::Mode(by)) => (gt_closed_by::GT_CLOSED_BY_MODE, u32::from(by.0)),
            Some(Closed::Waiting) => (gt_closed_by::GT_CLOSED_WAITING, 0),
        };
        // SAFETY: the caller says so.
        unsafe { give(closed, is) }?;
        if !by.is_null() {
            // SAFETY: it is not null, and the caller says that it may be written.
            unsafe { by.write(whom) };
        }
        Ok(())
    };
    // SAFETY: the caller says so.
    unsafe { with(input, read) }
}

/// The main device, or -1 if none can be heard.
///
/// # Safety
/// `input` is one, and `device` may be written.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_main_device(input: *mut gt_input, device: *mut i32) -> gt_status {
    let read = |of: &mut gt_input| {
        let main = of.input.main().map_or(-1, |device| i32::from(device.0));
        // SAFETY: the caller says so.
        unsafe { give(device, main) }
    };
    // SAFETY: the caller says so.
    unsafe { with(input, read) }
}
