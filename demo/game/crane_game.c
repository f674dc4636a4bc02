/* A made-up game loop, as games have one: a frame of any length, fixed steps of 20 ms within
 * it, two pads. It sends what its devices report and what each frame made of it to Green
 * Trigger. Without a mistake it agrees with the rules in demo/game.toml; each of the mistakes
 * below is one that real input code has.
 *
 *     cc -O2 -o crane_game demo/game/crane_game.c -lm
 *     gtrig record late.take.jsonl --listen unix:/tmp/quay.sock --kernel none &
 *     ./crane_game /tmp/quay.sock late-read
 *     gtrig agree late.take.jsonl --rig demo/game.toml
 */
#define _GNU_SOURCE
#ifndef GT_DELAY_NS
#define GT_DELAY_NS 50000000 /* its longest frames last 41 ms */
#endif
#include "../../senders/gtrig_frames.h"
#include <math.h>
#include <stdlib.h>

enum { SOUTH, EAST, NORTH, SHOULDER_L, STICK_X, STICK_Y, LOOK_X, CONTROLS, PADS = 2 };
enum { REPORT_NS = 4000000, STEP_NS = 20000000, BLASTS_NS = 350000000, SHORT_BLASTS_NS = 250000000 };

static const struct gt_control controls[CONTROLS] = {
    { "south", "button", 0, 0, 0 }, { "east", "button", 0, 0, 0 }, { "north", "button", 0, 0, 0 },
    { "shoulder-l", "button", 0, 0, 0 },
    { "stick-l-x", "axis", -32768, 0, 32767 }, { "stick-l-y", "axis", -32768, 0, 32767 },
    { "stick-r-x", "axis", -32768, 0, 32767 },
};

/* The mistakes, each with its story. */
static const char *const stories[][2] = {
    { "none", "It reads what its rules say." },
    { "late-read", "The pads are read first, and the events of the system are fetched after it: "
                   "every frame works with what was there a frame ago." },
    { "two-reads", "The brake is read again after half of the frame is over: one frame works with "
                   "two states, and the brake is ahead of the horn." },
    { "step-edges", "What was pressed is flagged once a frame and read by every fixed step: a frame "
                    "without a step loses the press, one with two brakes twice." },
    { "frame-speed", "The camera turns by a fixed angle a frame: it is twice as fast at twice the "
                     "frame rate." },
    { "wide-rest", "Somebody set the dead zone to 0.2 in the game, and not in the rules." },
    { "square-rest", "The dead zone is taken off each axis by itself: a push along one axis sticks to it." },
    { "first-pad", "The boom follows the first pad, whoever acted last." },
    { "open-gate", "The boom turns while the interlock is held." },
    { "short-window", "Two blasts must come within 250 ms, and the rules say 350." },
};

static int is_mistake(const char *mistake, const char *name) { return !strcmp(mistake, name); }

/* -- The hands: what the pads do, in milliseconds since the beginning. -- */

static int is_held(double ms, double from, double lasts) { return ms >= from && ms < from + lasts; }

/* Held for `lasts` once every `every` from `from` to `until`. */
static int is_tapped(double ms, double from, double until, double every, double lasts) {
    return ms >= from && ms < until && fmod(ms - from, every) < lasts;
}

static int raw(double value) { return (int)lround(fmax(-1, fmin(1, value)) * 32767); }

static void hands(double ms, int pad, int out[CONTROLS]) {
    memset(out, 0, CONTROLS * sizeof *out);
    if (pad == 0) {
        double round = (ms - 300) / 1700, reach = 1.25 * round, turn = round * 12.0;
        out[SOUTH] = is_held(ms, 507, 81) || is_held(ms, 1013, 66) || is_held(ms, 1311, 72)
                     || is_held(ms, 2903, 71) || is_held(ms, 3207, 64) || is_tapped(ms, 4803, 5900, 811, 93);
        out[EAST] = is_tapped(ms, 1404, 2900, 173, 47) || is_tapped(ms, 4804, 5900, 173, 47);
        out[NORTH] = is_tapped(ms, 1603, 2900, 467, 120) || is_tapped(ms, 4803, 5900, 467, 120);
        out[SHOULDER_L] = is_held(ms, 2302, 500);
        if (is_held(ms, 300, 1700)) { out[STICK_X] = raw(reach * cos(turn)); out[STICK_Y] = raw(reach * sin(turn)); }
        if (is_held(ms, 2150, 750)) { out[STICK_X] = raw(0.7 + 0.1 * sin(ms / 90)); out[STICK_Y] = raw(-0.4); }
        if (is_held(ms, 4700, 1100)) out[LOOK_X] = raw(0.45 * sin((ms - 4700) / 350));
    } else if (is_held(ms, 3300, 1100)) {
        out[STICK_X] = raw(-0.9 + 0.2 * sin(ms / 130));
        out[STICK_Y] = raw(0.5 * sin(ms / 210));
    }
}

/* -- The game: its own input code. -- */

struct vector { double x, y; };

static double unit(int value) { return value < 0 ? value / 32768.0 : value / 32767.0; }

static double off_rest(double value, double rest) {
    double size = fmin(1, fmax(0, (fabs(value) - rest) / (1 - rest)));
    return value < 0 ? -size : size;
}

static struct vector shaped(double x, double y, const char *mistake) {
    double rest = is_mistake(mistake, "wide-rest") ? 0.2 : 0.12;
    double length = hypot(x, y), size = off_rest(length, rest);
    struct vector out = { 0, 0 };
    if (is_mistake(mistake, "square-rest")) {
        out = (struct vector){ off_rest(x, rest), off_rest(y, rest) };
        length = hypot(out.x, out.y);
        if (length > 1) out = (struct vector){ out.x / length, out.y / length };
    } else if (length > 0) out = (struct vector){ x / length * size, y / length * size };
    return out;
}

struct game {
    int reported[PADS][CONTROLS], state[PADS][CONTROLS], before[PADS][CONTROLS];
    int main, lights, horn;
    uint64_t pressed[PADS], blast, steps_done; /* pressed: when the horn was, by its event */
    int brakes_waiting;
};

static int any(int state[PADS][CONTROLS], int control) { return state[0][control] || state[1][control]; }

/* Whoever last pressed something, or pushed a stick beyond half of its travel, has the boom. */
static void elect(struct game *g) {
    for (int pad = 0; pad < PADS; pad++)
        for (int c = 0; c < CONTROLS; c++) {
            int now = g->state[pad][c], before = g->before[pad][c];
            if (c < STICK_X ? now && !before : fabs(unit(now)) >= 0.5 && fabs(unit(before)) < 0.5) g->main = pad;
        }
}

/* The events of the system: each pad reports every 4 ms, if anything moved. Returns the time of
 * the last report. */
static uint64_t fetch(struct gt *gt, struct game *g, const int pads[PADS], uint64_t begin, uint64_t heard, uint64_t until) {
    for (uint64_t at = heard + REPORT_NS; at <= until; at += REPORT_NS) {
        for (int pad = 0; pad < PADS; pad++) {
            int was_down = g->reported[pad][SOUTH];
            hands((double)(at - begin) / 1e6, pad, g->reported[pad]);
            if (g->reported[pad][SOUTH] && !was_down) g->pressed[pad] = at;
            for (int c = 0; c < CONTROLS; c++) gt_value_at(gt, pads[pad], c, g->reported[pad][c], at);
        }
        heard = at;
    }
    return heard;
}

int main(int argc, char **argv) {
    static struct gt gt;
    static struct gt_frame_line line;
    static struct game g;
    int pads[PADS], after[PADS][CONTROLS];
    if (argc < 2 || argc > 4) {
        fprintf(stderr, "usage: crane_game SOCKET [MISTAKE [SECONDS]]\n\nmistakes:\n");
        for (size_t i = 0; i < sizeof stories / sizeof *stories; i++)
            fprintf(stderr, "  %-13s %s\n", stories[i][0], stories[i][1]);
        return 2;
    }
    const char *mistake = argc > 2 ? argv[2] : "none";
    double seconds = argc > 3 ? atof(argv[3]) : 6;
    gt_open(&gt, "crane-game", argv[1]);
    for (int i = 0; i < 100 && gt.socket < 0; i++) { usleep(100000); gt_frame(&gt); } /* somebody is about to listen */
    for (size_t i = 0; i < sizeof stories / sizeof *stories; i++)
        if (is_mistake(mistake, stories[i][0])) {
            char label[400];
            gt_line(&gt, label, snprintf(label, sizeof label, "{\"label\":\"%s: %.70s\"", stories[i][0], stories[i][1]));
        }
    pads[0] = gt_plug(&gt, "pad1", "pad", controls, CONTROLS);
    pads[1] = gt_plug(&gt, "pad2", "pad", controls, CONTROLS);
    uint64_t begin = gt_now(), next = begin, heard = begin, last_poll = begin;
    static const int lengths[] = { 17, 16, 17, 33, 8, 9, 17, 16, 41, 11 }; /* ms; a frame is never like another */
    for (int frame = 0; gt_now() - begin < seconds * 1e9; frame++) {
        uint64_t now;
        next += (uint64_t)lengths[frame % 10] * 1000000u;
        while ((now = gt_now()) < next) usleep((useconds_t)((next - now) / 1000 + 1));
        memcpy(g.before, g.state, sizeof g.state);
        uint64_t polled = gt_now();
        gt_frame_begin(&line, polled);
        if (is_mistake(mistake, "late-read")) memcpy(g.state, g.reported, sizeof g.state);
        heard = fetch(&gt, &g, pads, begin, heard, polled);
        if (!is_mistake(mistake, "late-read")) memcpy(g.state, g.reported, sizeof g.state);
        memcpy(after, g.state, sizeof after);
        if (is_mistake(mistake, "two-reads")) {
            usleep(6000);
            uint64_t again = gt_now();
            heard = fetch(&gt, &g, pads, begin, heard, again);
            memcpy(after, g.reported, sizeof after);
            gt_frame_polls_again(&line, again);
        }
        for (int pad = 0; pad < PADS; pad++)
            for (int c = 0; c < CONTROLS; c++)
                gt_frame_read_twice(&line, &gt, pads[pad], c, g.state[pad][c], after[pad][c]);

        double lasted = (double)(polled - last_poll) / 1e9;
        last_poll = polled;
        uint64_t due = (polled - begin) / STEP_NS;
        int steps = (int)(due - g.steps_done);
        g.steps_done = due;
        elect(&g);

        int interlock = any(g.state, SHOULDER_L), horn = any(g.state, SOUTH);
        int boom = is_mistake(mistake, "first-pad") ? 0 : g.main;
        struct vector slew = shaped(unit(g.state[boom][STICK_X]), -unit(g.state[boom][STICK_Y]), mistake);
        if (interlock && !is_mistake(mistake, "open-gate")) slew = (struct vector){ 0, 0 };

        int horn_down = 0, brake = 0, call = 0;
        for (int pad = 0; pad < PADS; pad++) {
            if (g.state[pad][SOUTH] && !g.before[pad][SOUTH]) {
                uint64_t window = is_mistake(mistake, "short-window") ? SHORT_BLASTS_NS : BLASTS_NS;
                int is_second = g.blast && g.pressed[pad] - g.blast <= window;
                g.blast = is_second ? 0 : g.pressed[pad];
                call += is_second;
                horn_down++;
            }
            g.lights ^= g.state[pad][NORTH] && !g.before[pad][NORTH];
            /* The two reads of one frame. */
            int east = after[pad][EAST];
            static int east_before[PADS];
            g.brakes_waiting += east && !east_before[pad];
            east_before[pad] = east;
        }
        /* A fixed step reads what was pressed since the step before; with the mistake, what
         * was pressed in this frame, each time. */
        static int horns_waiting, calls_waiting;
        horns_waiting += horn_down;
        calls_waiting += call;
        horn_down = call = 0;
        for (int step = 0; step < steps; step++) {
            brake += g.brakes_waiting;
            horn_down += horns_waiting;
            call += calls_waiting;
            horns_waiting = calls_waiting = 0;
            if (!is_mistake(mistake, "step-edges")) g.brakes_waiting = 0;
        }
        if (is_mistake(mistake, "step-edges")) g.brakes_waiting = 0;

        double look = off_rest(unit(any(g.state, LOOK_X) ? g.state[0][LOOK_X] : 0), 0.1);
        gt_frame_give(&line, "SlewX", slew.x);
        gt_frame_give(&line, "SlewY", slew.y);
        gt_frame_give(&line, "Interlock", interlock);
        gt_frame_give(&line, "Horn", horn);
        gt_frame_give(&line, "HornDown", horn_down);
        gt_frame_give(&line, "Brake", brake);
        gt_frame_give(&line, "Lights", g.lights);
        gt_frame_give(&line, "CameraStep", look * 90 * (is_mistake(mistake, "frame-speed") ? 1 / 60.0 : lasted));
        gt_frame_give(&line, "CallCrew", call);
        gt_frame_end(&line, &gt, steps);
        gt_frame(&gt);
    }
    gt_frame(&gt);
    fprintf(stderr, "%llu lines were not sent\n", (unsigned long long)gt.lost);
    return 0;
}
