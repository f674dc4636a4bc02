//! The library from C: the header is that of the source, the example runs without an error of
//! memory, and what is misused says so.

use green_trigger::*;
use rstest::rstest;
use std::{
    env,
    ffi::{CStr, CString},
    fs,
    path::{Path, PathBuf},
    process::{Command, Output},
    ptr,
};

fn folder() -> &'static Path {
    Path::new(env!("CARGO_MANIFEST_DIR"))
}

/// What went wrong last in this thread.
fn told() -> String {
    // SAFETY: it is a text that stays until the next error of this thread.
    unsafe { CStr::from_ptr(gt_error_text()) }.to_str().unwrap().to_owned()
}

const RIG: &str = r#"
rig = 1
[action.horn]
gives = "on"
from = "pad/south"
[action.slew]
gives = "axis"
from = { axis = "pad/stick-l-x", dead-zone = 0.1 }
"#;

/// An input with a pad, and its control.
struct Game {
    input: *mut gt_input,
    pad: gt_device,
    south: gt_control,
    stick: gt_control,
}

impl Game {
    fn new() -> Self {
        let mut game = Game { input: ptr::null_mut(), pad: 99, south: 99, stick: 99 };
        // SAFETY: every pointer points where it says.
        unsafe {
            let made = gt_input_from_text(RIG.as_ptr().cast(), RIG.len(), &raw mut game.input);
            assert_eq!(made, gt_status::GT_OK, "{}", told());
            let axis = [-100, 0, 100];
            assert_eq!(
                game.plug(&[(c"south", 0, [0; 3]), (c"stick-l-x", 1, axis)]),
                gt_status::GT_OK
            );
            let find = |code: &CStr, to| gt_find_control(game.input, game.pad, code.as_ptr(), to);
            assert_eq!(find(c"south", &raw mut game.south), gt_status::GT_OK);
            assert_eq!(find(c"stick-l-x", &raw mut game.stick), gt_status::GT_OK);
        }
        game
    }

    /// Plugs a pad with controls of a code, a kind, and the least, the middle and the most.
    fn plug(&mut self, controls: &[(&CStr, u32, [i32; 3])]) -> gt_status {
        let of = |&(code, kind, [min, centre, max]): &(&CStr, u32, [i32; 3])| gt_control_info {
            code: code.as_ptr(),
            kind,
            min,
            centre,
            max,
        };
        let controls: Vec<gt_control_info> = controls.iter().map(of).collect();
        let info = gt_device_info {
            identity: c"usb-1".as_ptr(),
            name: c"pad".as_ptr(),
            kind: 0,
            slot: 0,
            controls: controls.as_ptr(),
            control_count: controls.len(),
        };
        // SAFETY: every pointer points where it says.
        unsafe { gt_plug(self.input, &raw const info, 0, &raw mut self.pad) }
    }

    fn feed(&self, time: u64, control: u32, value: i32) -> gt_status {
        let value = gt_value { control, value };
        // SAFETY: there is one value.
        unsafe { gt_feed(self.input, time, &raw const value, 1) }
    }

    fn find(&self, name: &CStr) -> Result<gt_action, gt_status> {
        let mut found = 0;
        // SAFETY: every pointer points where it says.
        match unsafe { gt_find_action(self.input, name.as_ptr(), &raw mut found) } {
            gt_status::GT_OK => Ok(found),
            refused => Err(refused),
        }
    }

    fn read(&self, action: gt_action) -> Result<gt_state, gt_status> {
        let mut state = gt_state::default();
        // SAFETY: every pointer points where it says.
        match unsafe { gt_read(self.input, action, &raw mut state) } {
            gt_status::GT_OK => Ok(state),
            refused => Err(refused),
        }
    }
}

impl Drop for Game {
    fn drop(&mut self) {
        // SAFETY: it was made, and is given up.
        unsafe { gt_input_free(self.input) };
    }
}

#[test]
fn what_is_not_there_is_said() {
    let game = Game::new();
    assert_eq!(game.find(c"hoist"), Err(gt_status::GT_NOT_FOUND));
    assert_eq!(told(), "the rig has no action \"hoist\"");
    assert_eq!(game.read(2), Err(gt_status::GT_NOT_FOUND));
    assert_eq!(told(), "there is no action 2");
    // The presence of a device is no control to feed.
    for control in [0, 3, u32::MAX] {
        assert_eq!(game.feed(1, control, 1), gt_status::GT_NOT_FOUND);
    }
    // SAFETY: null is what is tried.
    unsafe {
        assert_eq!(gt_unplug(game.input, 1, 0), gt_status::GT_NOT_FOUND);
        assert_eq!(gt_set_presence(game.input, 0, 7, 0), gt_status::GT_NOT_FOUND);
        assert_eq!(gt_frame(ptr::null_mut(), 0), gt_status::GT_NULL);
        assert_eq!(told(), "the input is null");
        assert_eq!(gt_read(game.input, 0, ptr::null_mut()), gt_status::GT_NULL);
        assert_eq!(gt_find_action(game.input, ptr::null(), ptr::null_mut()), gt_status::GT_NULL);
        assert_eq!(gt_feed(game.input, 0, ptr::null(), 1), gt_status::GT_NULL);
        assert_eq!(gt_plug(game.input, ptr::null(), 0, ptr::null_mut()), gt_status::GT_NULL);
        let latin = c"\xff".as_ptr();
        let mut action = 0;
        assert_eq!(gt_find_action(game.input, latin, &raw mut action), gt_status::GT_NOT_UTF8);
        gt_input_free(ptr::null_mut());
        gt_reader_free(ptr::null_mut());
    }
}

#[rstest]
#[case::no_such_kind(&[(c"south", 9, [0; 3])], "control \"south\": there is no gt_control_kind 9")]
#[case::no_range(&[(c"lever", 2, [5, 0, 5])], "control \"lever\": min and max are both 5")]
#[case::no_centre(&[(c"x", 1, [0, 0, 9])], "control \"x\": centre 0 is not between 0 and 9")]
#[case::twice(&[(c"x", 0, [0; 3]), (c"x", 0, [0; 3])], "the control \"x\" is listed twice")]
#[case::no_name(&[(c"a b", 0, [0; 3])], "the control name \"a b\" is not 1 to 40 letters, digits, dots, dashes or underscores")]
fn a_device_that_is_none_is_refused(
    #[case] controls: &[(&CStr, u32, [i32; 3])],
    #[case] why: &str,
) {
    let mut game = Game::new();
    assert_eq!(game.plug(controls), gt_status::GT_NO_DEVICE);
    assert_eq!(told(), why);
    assert_eq!(game.pad, 0, "nothing is written");
}

#[rstest]
#[case::a_mistake("rig = 1\n[action.horn]\ngives = \"onn\"\n", gt_status::GT_NO_RIG, "gives")]
#[case::fewer_actions("rig = 1\n", gt_status::GT_OTHER_ACTIONS, "horn")]
fn a_rig_that_cannot_be_taken_changes_nothing(
    #[case] rig: &str,
    #[case] status: gt_status,
    #[case] word: &str,
) {
    let game = Game::new();
    game.feed(1, game.south, 1);
    // SAFETY: every pointer points where it says.
    unsafe {
        gt_frame(game.input, 2);
        assert_eq!(gt_reload_text(game.input, rig.as_ptr().cast(), rig.len()), status);
    }
    assert!(told().contains(word), "{}", told());
    assert!(game.read(game.find(c"horn").unwrap()).unwrap().is_on);
}

/// A rig that was forged with a right checksum may break what it is read into, and no more.
#[test]
fn an_error_inside_does_not_leave_the_library() {
    let mut rig = gtrig_formats::rig::parse("t", RIG).unwrap();
    rig.actions[0].closed_while.push(gtrig_core::ActionId(77));
    let bytes = gtrig_embed::compiled::pack(&rig);
    let game = Game::new();
    // SAFETY: every pointer points where it says.
    unsafe {
        assert_eq!(
            gt_reload_compiled(game.input, bytes.as_ptr(), bytes.len()),
            gt_status::GT_BROKEN
        );
        assert_eq!(gt_frame(game.input, 5), gt_status::GT_BROKEN);
        let part = gt_reload_compiled(Game::new().input, bytes.as_ptr(), bytes.len() - 1);
        assert_eq!(part, gt_status::GT_NO_RIG);
    }
}

/// What the header says of threads holds: any may use them, one at a time.
#[test]
fn an_input_may_be_used_by_any_thread() {
    const fn goes_to_any_thread<T: Send>() {}
    goes_to_any_thread::<gt_input>();
    goes_to_any_thread::<gt_reader>();
    let game = Game::new();
    let input = game.input as usize;
    // SAFETY: this thread waits meanwhile.
    let frame = move || unsafe { gt_frame(input as *mut gt_input, 9) };
    assert_eq!(std::thread::spawn(frame).join().unwrap(), gt_status::GT_OK);
}

#[test]
fn a_reader_belongs_to_its_input() {
    let (game, other) = (Game::new(), Game::new());
    let mut reader = ptr::null_mut();
    // SAFETY: every pointer points where it says.
    unsafe {
        assert_eq!(gt_reader_new(game.input, &raw mut reader), gt_status::GT_OK);
        assert_eq!(gt_look(reader, other.input), gt_status::GT_OTHER_INPUT);
        assert_eq!(gt_look(reader, game.input), gt_status::GT_OK);
        let mut news = gt_news::default();
        assert_eq!(gt_news_of(reader, 2, &raw mut news), gt_status::GT_NOT_FOUND);
        gt_reader_free(reader);
    }
}

#[test]
fn errors_belong_to_their_thread() {
    let game = Game::new();
    assert!(game.find(c"hoist").is_err());
    let other = std::thread::spawn(told).join().unwrap();
    assert_eq!((other.as_str(), told().as_str()), ("", "the rig has no action \"hoist\""));
}

#[test]
fn a_closed_action_says_what_closes_it() {
    let text = format!("{RIG}closed-while = \"horn\"\n");
    let game = Game::new();
    let (slew, mut closed, mut by) = (game.find(c"slew").unwrap(), gt_closed_by::GT_OPEN, 99);
    // SAFETY: every pointer points where it says.
    unsafe {
        let rig = CString::new(text.clone()).unwrap();
        assert_eq!(gt_reload_text(game.input, rig.as_ptr(), text.len()), gt_status::GT_OK);
        game.feed(1, game.south, 1);
        game.feed(1, game.stick, 80);
        gt_frame(game.input, 2);
        let why = gt_why_closed(game.input, slew, &raw mut closed, &raw mut by);
        assert_eq!((why, closed, by), (gt_status::GT_OK, gt_closed_by::GT_CLOSED_WHILE, 0));
        let mut main = 99;
        assert_eq!(gt_main_device(game.input, &raw mut main), gt_status::GT_OK);
        assert_eq!(main, 0);
    }
}

#[test]
fn a_frame_allocates_nothing() {
    let game = Game::new();
    let (horn, mut reader) = (game.find(c"horn").unwrap(), ptr::null_mut());
    // SAFETY: every pointer points where it says.
    unsafe { gt_reader_new(game.input, &raw mut reader) };
    let frame = |n: u64| {
        let mut news = gt_news::default();
        game.feed(n * 16, game.south, i32::from(n % 7 < 3));
        game.feed(n * 16, game.stick, (n % 100) as i32);
        // SAFETY: every pointer points where it says.
        unsafe {
            gt_frame(game.input, n * 16 + 8);
            gt_look(reader, game.input);
            gt_news_of(reader, horn, &raw mut news);
        }
        game.read(horn).unwrap();
        news.presses
    };
    let before: u32 = (1..100).map(frame).sum();
    let mut presses = 0;
    let counted = allocation_counter::measure(|| presses = (100..1_100).map(frame).sum());
    assert_eq!((counted.count_total, before, presses), (0, 15, 143));
    // SAFETY: it was made, and is given up.
    unsafe { gt_reader_free(reader) };
}

#[test]
fn the_header_is_that_of_the_source() {
    let mut written = Vec::new();
    cbindgen::generate(folder()).unwrap().write(&mut written);
    let kept = fs::read(folder().join("include/green_trigger.h")).unwrap();
    assert!(written == kept, "write it anew: cargo run -p gtrig-c --example header");
}

/// The library that this test was built with: the newest of its name beside it.
fn library(ending: &str) -> PathBuf {
    let beside = env::current_exe().unwrap().parent().unwrap().to_owned();
    let files = fs::read_dir(beside).unwrap().map(|file| file.unwrap().path());
    let is_it = |path: &PathBuf| {
        let name = path.file_name().unwrap().to_str().unwrap();
        name.starts_with("libgreen_trigger") && name.ends_with(ending)
    };
    let newest = |path: &PathBuf| fs::metadata(path).unwrap().modified().unwrap();
    files.filter(is_it).max_by_key(newest).expect("the library is built with the test")
}

fn succeeds(command: &mut Command) -> Output {
    let output = command.output().unwrap();
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(output.status.success(), "{command:?}\n{said}");
    output
}

/// A game in C over the static or the shared library, with every warning an error, under a
/// checker of memory.
#[rstest]
#[case::of_the_static_library(".a")]
#[case::of_the_shared_library(".so")]
fn the_example_runs_and_loses_nothing(#[case] ending: &str) {
    let made = tempfile::tempdir().unwrap();
    let game = made.path().join("game");
    let library = library(ending);
    succeeds(
        Command::new("cc")
            .args(["-std=c11", "-O1", "-g", "-Wall", "-Wextra", "-Wpedantic", "-Wconversion"])
            .args(["-Wno-sign-conversion", "-Werror", "-I"])
            .arg(folder().join("include"))
            .arg(folder().join("examples/game_loop.c"))
            .arg(&library)
            .args(["-lm", "-lpthread", "-ldl", "-o"])
            .arg(&game),
    );
    let output = succeeds(
        Command::new("valgrind")
            .args(["--quiet", "--error-exitcode=99", "--leak-check=full"])
            .arg("--errors-for-leak-kinds=definite,indirect,possible")
            .arg(&game)
            .env("LD_LIBRARY_PATH", library.parent().unwrap()),
    );
    let expected = "\
grip on since 5 ms by trigger-r of device 0
168 frames, 101 steps
horn: 20 in steps, 20 in the menu
slewed 60 degrees
deaf: slew 0.00
reload: the rig has mistakes
";
    assert_eq!(String::from_utf8(output.stdout).unwrap(), expected);
    assert_eq!(String::from_utf8(output.stderr).unwrap(), "");
}
