//! Green Trigger for games in C and C++.
//!
//! Everything here is `gtrig_embed` over again with handles and plain structs. The header
//! `include/green_trigger.h` is generated from these files: `cargo run -p gtrig-c --example
//! header` writes it, and a test holds it against them.

mod device;
mod input;
mod reader;
mod status;
mod values;

pub use device::{gt_control_info, gt_control_kind, gt_device_info, gt_device_kind, gt_presence};
pub use input::{
    gt_driver_of, gt_feed, gt_find_action, gt_find_control, gt_frame, gt_input, gt_input_free,
    gt_input_from_compiled, gt_main_device, gt_plug, gt_read, gt_reload_compiled, gt_set_presence,
    gt_unplug, gt_why_closed,
};
#[cfg(feature = "text")]
pub use input::{gt_input_from_text, gt_reload_text};
pub use reader::{gt_look, gt_news, gt_news_of, gt_reader, gt_reader_free, gt_reader_new};
pub use status::{gt_error_text, gt_status};
pub use values::{gt_action, gt_closed_by, gt_control, gt_device, gt_driver, gt_state, gt_value};
