#ifndef GREEN_TRIGGER_H
#define GREEN_TRIGGER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

// Green Trigger in a game: feed what devices report, run a frame, ask actions by handles that
// were found once by name. crates/c/README.md has a loop, and examples/game_loop.c a whole one.
//
// Every function returns a gt_status; what it finds it writes where its last argument points,
// and only if it returns GT_OK. gt_error_text says in words what went wrong. No function calls
// back, and no error of Rust leaves the library.
//
// Threads: an input and its readers may be used by any thread, but by one at a time. Different
// inputs know nothing of each other. Texts of errors belong to the thread that caused them.
//
// Times are nanoseconds of any clock that does not go back, the same for all calls.


// What came of a call.
typedef enum {
  // All is well.
  GT_OK = 0,
  // A pointer that must point somewhere is null.
  GT_NULL = 1,
  // A text is no UTF-8.
  GT_NOT_UTF8 = 2,
  // The rig has mistakes; the text names each with its place. Or the compiled rig is
  // damaged, or of another version.
  GT_NO_RIG = 3,
  // The device is described wrongly, or there is no room for it.
  GT_NO_DEVICE = 4,
  // There is nothing of this name or with this handle.
  GT_NOT_FOUND = 5,
  // The new rig has not the same actions in the same order.
  GT_OTHER_ACTIONS = 6,
  // A reader was asked with an input that is not its own.
  GT_OTHER_INPUT = 7,
  // An error inside the library, which is a mistake in it. The input may only be freed.
  GT_BROKEN = 8,
} gt_status;

// Why an action does nothing although something drives it.
typedef enum {
  // It is open.
  GT_OPEN = 0,
  // An action is on.
  GT_CLOSED_WHILE = 1,
  // An action is off.
  GT_CLOSED_WITHOUT = 2,
  // A mode is on top.
  GT_CLOSED_BY_MODE = 3,
  // What was held while it was closed has not been let go yet.
  GT_CLOSED_WAITING = 4,
} gt_closed_by;

// What sort of thing a device is; rigs name devices by it.
typedef enum {
  // A game pad in the standard layout.
  GT_PAD = 0,
  // A lever with one long travel.
  GT_LEVER = 1,
  // A keyboard.
  GT_KEYS = 2,
  // A mouse or other pointer.
  GT_MOUSE = 3,
  // A touch panel.
  GT_GLASS = 4,
  // Anything else.
  GT_OTHER = 5,
} gt_device_kind;

// What a control reports.
typedef enum {
  // 0 is up, anything else is down.
  GT_BUTTON = 0,
  // Two-sided: min is -1, centre is 0, max is +1.
  GT_AXIS = 1,
  // One-sided: min is 0 and rest, max is 1.
  GT_TRIGGER = 2,
  // A place on a surface: min is 0, max is 1.
  GT_POSITION = 3,
  // Counts since the last report.
  GT_RELATIVE = 4,
} gt_control_kind;

// Whether a device can be heard.
typedef enum {
  // It is connected, and heard.
  GT_HERE = 0,
  // It is connected, and cannot be heard: the window has lost the focus.
  GT_DEAF = 1,
} gt_presence;

// The devices, the rig and the run of a game's input.
typedef struct gt_input gt_input;

// What one loop of a game has seen of an input.
typedef struct gt_reader gt_reader;

// A control of a device. What its kind has no use for is not read.
typedef struct {
  // Its standard name, such as "south": 1 to 40 letters, digits, dots, dashes or
  // underscores.
  const char *code;
  // What it reports: one of gt_control_kind.
  uint32_t kind;
  // The raw value at its lowest; not equal to `max`.
  int32_t min;
  // Of an axis the raw value at rest, between the other two.
  int32_t centre;
  // The raw value at its highest.
  int32_t max;
} gt_control_info;

// A device.
typedef struct {
  // What the game knows it by. One with the identity, kind and controls of one that went is
  // that one again.
  const char *identity;
  // Its name, for people.
  const char *name;
  // What it is: one of gt_device_kind.
  uint32_t kind;
  // The player slot it should have, 1 to 4, if it is free; 0 where the rig says.
  uint32_t slot;
  // Its controls, `control_count` of them.
  const gt_control_info *controls;
  // How many.
  size_t control_count;
} gt_device_info;

// The handle of a device.
typedef uint32_t gt_device;

// The handle of an action.
typedef uint32_t gt_action;

// The handle of a control of a device.
typedef uint32_t gt_control;

// A control and what it reports.
typedef struct {
  // From gt_find_control.
  gt_control control;
  // In units of the device.
  int32_t value;
} gt_value;

// An action after a frame.
typedef struct {
  // Whether it is on, or off its rest.
  bool is_on;
  // 1 or 0, an axis from -1 to +1, the x of a plane, the angle of a polar one.
  float value;
  // x and y of a plane or a place.
  float vector[2];
  // The direction of a plane or a polar action in degrees, counter-clockwise from the
  // right.
  float degrees;
  // How far it is pushed.
  float reach;
  // When it last turned on or off; 0 before it ever did. Of a pulse: when it last fired.
  uint64_t since;
} gt_state;

// What drives an action.
typedef struct {
  // Whether anything does. The rest says nothing where it is false.
  bool is_driven;
  // The device.
  gt_device device;
  // The name of its control, ended by a zero byte.
  char code[41];
} gt_driver;

// What happened to an action between two looks of a reader.
typedef struct {
  // How often it turned on. Of a pulse: how often it fired.
  uint32_t presses;
  // How often it turned off.
  uint32_t releases;
  // How far it went: its values, each times the seconds of its frame.
  double way[2];
} gt_news;

#ifdef __cplusplus
extern "C" {
#endif // __cplusplus

// Makes the input of a game from the text of a rig (docs/rig-format.md), `length` bytes.
//
// # Safety
// `rig` points at so many bytes, and `input` at a pointer.
gt_status gt_input_from_text(const char *rig, size_t length, gt_input **input);

// Makes the input of a game from a rig that `gtrig compile` has compiled.
//
// # Safety
// `rig` points at so many bytes, and `input` at a pointer.
gt_status gt_input_from_compiled(const uint8_t *rig, size_t length, gt_input **input);

// Frees an input. Its readers are freed by themselves, before or after. Null is nothing.
//
// # Safety
// `input` is null or from a function that made one, and not freed yet.
void gt_input_free(gt_input *input);

// Takes another rig from its text, as when a person has edited its file: what is held goes
// on, and is no press. What has to be let go before it counts still has to. Toggles are off
// again; modes, gestures, combos and filters begin anew. Handles stay as they are.
//
// # Safety
// `input` is one, and `rig` points at so many bytes.
gt_status gt_reload_text(gt_input *input, const char *rig, size_t length);

// The same from a compiled rig.
//
// # Safety
// `input` is one, and `rig` points at so many bytes.
gt_status gt_reload_compiled(gt_input *input, const uint8_t *rig, size_t length);

// A device is there. Its handle stays the same when it goes and comes back.
//
// # Safety
// `input` is one, `info` describes a device, and `handle` may be written.
gt_status gt_plug(gt_input *input, const gt_device_info *info, uint64_t time, gt_device *handle);

// A device went. What was held on it is released.
//
// # Safety
// `input` is one.
gt_status gt_unplug(gt_input *input, gt_device device, uint64_t time);

// A device can be heard, or no longer: one of gt_presence. What was held on one that cannot
// be heard is released.
//
// # Safety
// `input` is one.
gt_status gt_set_presence(gt_input *input, gt_device device, uint32_t is, uint64_t time);

// Finds an action by its name. Its handle holds for as long as the input does.
//
// # Safety
// `input` is one, `name` ends with a zero byte, and `action` may be written.
gt_status gt_find_action(gt_input *input, const char *name, gt_action *action);

// Finds a control of a device by its standard name, such as "south".
//
// # Safety
// `input` is one, `code` ends with a zero byte, and `control` may be written.
gt_status gt_find_control(gt_input *input, gt_device device, const char *code, gt_control *control);

// Controls took values at a time, `count` of them. What is told of the past, of which a frame
// has run already, is seen by the next frame. If a handle is none, nothing is taken in.
//
// # Safety
// `input` is one, and `values` points at so many.
gt_status gt_feed(gt_input *input, uint64_t time, const gt_value *values, size_t count);

// Runs a frame: everything up to `now` has happened. One that is not after the last frame
// runs none.
//
// # Safety
// `input` is one.
gt_status gt_frame(gt_input *input, uint64_t now);

// What an action is after the last frame.
//
// # Safety
// `input` is one, and `state` may be written.
gt_status gt_read(gt_input *input, gt_action action, gt_state *state);

// What drives an action.
//
// # Safety
// `input` is one, and `driver` may be written.
gt_status gt_driver_of(gt_input *input, gt_action action, gt_driver *driver);

// Why an action does nothing although something drives it. Where an action or a mode closes
// it, `by` is its handle or its place in the rig; otherwise 0. `by` may be null.
//
// # Safety
// `input` is one, `closed` may be written, and `by` too if it is not null.
gt_status gt_why_closed(gt_input *input, gt_action action, gt_closed_by *closed, uint32_t *by);

// The main device, or -1 if none can be heard.
//
// # Safety
// `input` is one, and `device` may be written.
gt_status gt_main_device(gt_input *input, int32_t *device);

// Makes a reader for one loop of the game: it sees what happens from now on.
//
// # Safety
// `input` is one, and `reader` points at a pointer.
gt_status gt_reader_new(gt_input *input, gt_reader **reader);

// Frees a reader. Null is nothing.
//
// # Safety
// `reader` is null or from `gt_reader_new`, and not freed yet.
void gt_reader_free(gt_reader *reader);

// Looks: what happened since this reader looked last is its news.
//
// # Safety
// Both are what they are called.
gt_status gt_look(gt_reader *reader, gt_input *input);

// What the last look of a reader found of an action.
//
// # Safety
// `reader` is one, and `news` may be written.
gt_status gt_news_of(gt_reader *reader, gt_action action, gt_news *news);

// What went wrong in this thread's last call that did not return GT_OK, in words; empty
// before the first. It stays until the next such call of this thread.
const char *gt_error_text(void);

#ifdef __cplusplus
}  // extern "C"
#endif  // __cplusplus

#endif  /* GREEN_TRIGGER_H */
