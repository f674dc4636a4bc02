/* A game that reads its input through Green Trigger: a variable frame, a fixed step and a
 * menu, each with a reader of its own. Here the devices are made up and the time is counted;
 * in a game both come from the platform.
 *
 *   cc -std=c11 -Iinclude game_loop.c -lgreen_trigger -lm -lpthread -ldl -o game_loop
 */
#include "green_trigger.h"

#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define MS UINT64_C(1000000)

static const char RIG[] =
    "rig = 1\n"
    "[action.horn]\n"
    "gives = \"pulse\"\n"
    "from = \"pad/south\"\n"
    "[action.grip]\n"
    "gives = \"on\"\n"
    "from = \"pad/trigger-r\"\n"
    "[action.slew]\n"
    "gives = \"plane\"\n"
    "from = { stick = \"pad/stick-l\", dead-zone = 0.1 }\n";

/* What must not fail in this game ends it, with what went wrong. */
static void must(gt_status status, const char *what)
{
    if (status != GT_OK) {
        fprintf(stderr, "%s: %s\n", what, gt_error_text());
        exit(1);
    }
}

static gt_action action(gt_input *input, const char *name)
{
    gt_action found;
    must(gt_find_action(input, name, &found), name);
    return found;
}

static gt_control control(gt_input *input, gt_device device, const char *code)
{
    gt_control found;
    must(gt_find_control(input, device, code, &found), code);
    return found;
}

int main(void)
{
    gt_input *input;
    must(gt_input_from_text(RIG, strlen(RIG), &input), "the rig");

    /* Once: handles by name, and a reader for each loop that reads presses. */
    gt_action horn = action(input, "horn"), grip = action(input, "grip"), slew = action(input, "slew");
    gt_reader *step, *menu;
    must(gt_reader_new(input, &step), "a reader");
    must(gt_reader_new(input, &menu), "a reader");

    /* A pad is there. */
    const gt_control_info controls[] = {
        {.code = "south", .kind = GT_BUTTON},
        {.code = "trigger-r", .kind = GT_TRIGGER, .min = 0, .max = 255},
        {.code = "stick-l-x", .kind = GT_AXIS, .min = -32768, .centre = 0, .max = 32767},
        {.code = "stick-l-y", .kind = GT_AXIS, .min = -32768, .centre = 0, .max = 32767},
    };
    const gt_device_info info = {
        .identity = "usb-1",
        .name = "training pad",
        .kind = GT_PAD,
        .controls = controls,
        .control_count = sizeof controls / sizeof *controls,
    };
    gt_device pad;
    must(gt_plug(input, &info, 0, &pad), "the pad");
    gt_control south = control(input, pad, "south"), trigger = control(input, pad, "trigger-r");
    gt_control stick_x = control(input, pad, "stick-l-x");

    /* 2 s of a game: frames of 5, 12 or 19 ms, fixed steps of 20 ms. South is tapped every
     * 100 ms, the stick is pushed to the right, and the trigger is pulled in the first half. */
    uint64_t now = 0, next_step = 0;
    uint32_t blasts_in_steps = 0, blasts_in_menu = 0, steps = 0, frames = 0;
    double degrees = 0;
    for (uint64_t told = 0; now < 2000 * MS; frames++) {
        uint64_t frame = (5 + frames * 7 % 21) * MS;
        now += frame;
        for (; told <= now; told += 50 * MS) {
            const gt_value values[] = {
                {.control = south, .value = told / (50 * MS) % 2 == 1},
                {.control = stick_x, .value = 32767},
                {.control = trigger, .value = told < 1000 * MS ? 255 : 0},
            };
            must(gt_feed(input, told, values, sizeof values / sizeof *values), "feed");
        }
        must(gt_frame(input, now), "frame");

        for (; next_step <= now; next_step += 20 * MS, steps++) {
            gt_news news;
            must(gt_look(step, input), "look");
            must(gt_news_of(step, horn, &news), "news");
            blasts_in_steps += news.presses;
            /* 30 degrees a second, however long frames and steps are. */
            must(gt_news_of(step, slew, &news), "news");
            degrees += 30.0 * news.way[0];
        }
        /* The menu looks now and then, and misses nothing either. */
        if (frames % 10 == 0) {
            gt_news news;
            must(gt_look(menu, input), "look");
            must(gt_news_of(menu, horn, &news), "news");
            blasts_in_menu += news.presses;
        }
        if (now > 500 * MS && now < 500 * MS + frame) {
            gt_state held;
            gt_driver driver;
            must(gt_read(input, grip, &held), "read");
            must(gt_driver_of(input, grip, &driver), "driver");
            printf("grip %s since %" PRIu64 " ms by %s of device %" PRIu32 "\n", held.is_on ? "on" : "off",
                   held.since / MS, driver.code, driver.device);
        }
    }
    gt_news last;
    must(gt_look(menu, input), "look");
    must(gt_news_of(menu, horn, &last), "news");
    blasts_in_menu += last.presses;
    printf("%" PRIu32 " frames, %" PRIu32 " steps\n", frames, steps);
    printf("horn: %" PRIu32 " in steps, %" PRIu32 " in the menu\n", blasts_in_steps, blasts_in_menu);
    printf("slewed %.0f degrees\n", degrees);

    /* The window loses the focus: what was held is released. */
    gt_state state;
    must(gt_set_presence(input, pad, GT_DEAF, now), "focus");
    must(gt_frame(input, now + 16 * MS), "frame");
    must(gt_read(input, slew, &state), "read");
    printf("deaf: slew %.2f\n", state.vector[0]);
    must(gt_set_presence(input, pad, GT_HERE, now + 20 * MS), "focus");

    /* A person has edited the rig's file: with a mistake nothing changes, and it is told. */
    static const char WRONG[] = "rig = 1\n[action.horn]\ngives = \"puls\"\n";
    gt_status status = gt_reload_text(input, WRONG, strlen(WRONG));
    printf("reload: %s\n", status == GT_NO_RIG ? "the rig has mistakes" : "?");
    must(gt_reload_text(input, RIG, strlen(RIG)), "reload");

    gt_reader_free(menu);
    gt_reader_free(step);
    gt_input_free(input);
    return 0;
}
