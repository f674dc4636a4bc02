/* Says to Green Trigger what a frame of a game read, and what it made of it.
 *
 * One file over gtrig_sender.h. Nothing is allocated, and nothing waits. Every frame says all
 * it knows, so that a frame that was lost costs no other one.
 *
 *     static struct gt_frame_line frame;
 *     gt_frame_begin(&frame, gt_now());              // just before the game polls
 *     gt_frame_read(&frame, &gt, pad, 0, is_down);   // what it read, device by device
 *     gt_frame_give(&frame, "Horn", horn);           // then its own values, by its own names
 *     gt_frame_end(&frame, &gt, steps);              // now they are worked out
 *     gt_frame(&gt);
 */
#ifndef GTRIG_FRAMES_H
#define GTRIG_FRAMES_H
#include "gtrig_sender.h"

enum { GT_FRAME_LINE = 1 << 14, GT_NO_STEPS = -1 };

struct gt_frame_line {
    uint64_t number, polled, polled_last;
    int device, gives, length; /* length is below 0 once the line is full */
    char body[GT_FRAME_LINE];
};

static inline void gt_frame_add(struct gt_frame_line *f, int written) {
    if (f->length >= 0) f->length = written < 0 || written >= GT_FRAME_LINE - f->length ? -1 : f->length + written;
}

#define GT_FRAME_PRINT(f, ...) do { \
        if ((f)->length >= 0) gt_frame_add(f, snprintf((f)->body + (f)->length, (size_t)(GT_FRAME_LINE - (f)->length), __VA_ARGS__)); \
    } while (0)

/* A frame begins that polls at `polled`, by CLOCK_MONOTONIC. */
static inline void gt_frame_begin(struct gt_frame_line *f, uint64_t polled) {
    f->number++;
    f->polled = f->polled_last = polled;
    f->device = -1; f->gives = 0; f->length = 0;
}

/* It polls once more. */
static inline void gt_frame_polls_again(struct gt_frame_line *f, uint64_t polled) { f->polled_last = polled; }

/* What it read of a control, at its first and at its last poll. Of each device one after the other. */
static inline void gt_frame_read_twice(struct gt_frame_line *f, const struct gt *gt, int device, int control, int first, int last) {
    const struct gt_device *d = &gt->device[device];
    if (f->device != device) {
        GT_FRAME_PRINT(f, "%s\"%s\":{", f->device < 0 ? ",\"read\":{" : "},", d->id);
        f->device = device;
    } else GT_FRAME_PRINT(f, ",");
    if (first == last) GT_FRAME_PRINT(f, "\"%s\":%d", d->controls[control].code, first);
    else GT_FRAME_PRINT(f, "\"%s\":[%d,%d]", d->controls[control].code, first, last);
}

static inline void gt_frame_read(struct gt_frame_line *f, const struct gt *gt, int device, int control, int value) {
    gt_frame_read_twice(f, gt, device, control, value, value);
}

/* What it made of it: a value of the game, by the name that the game has for it; of what happens
 * in an instant, how often it did. */
static inline void gt_frame_give(struct gt_frame_line *f, const char *name, double value) {
    GT_FRAME_PRINT(f, "%s\"%s\":%.9g", f->gives++ ? "," : f->device < 0 ? ",\"gives\":{" : "}},\"gives\":{", name, value);
}

/* The values are worked out now, over `steps` fixed steps (GT_NO_STEPS of a game without). */
static inline void gt_frame_end(struct gt_frame_line *f, struct gt *gt, int steps) {
    static char line[GT_FRAME_LINE + 256];
    int n = snprintf(line, sizeof line, "{\"t\":%llu,\"frame\":%llu,\"polled\":[%llu,%llu]", (unsigned long long)gt_now(),
        (unsigned long long)f->number, (unsigned long long)f->polled, (unsigned long long)f->polled_last);
    if (steps >= 0) n += snprintf(line + n, sizeof line - (size_t)n, ",\"steps\":%d", steps);
    GT_FRAME_PRINT(f, "%s", f->gives ? "}" : f->device < 0 ? "" : "}}");
    if (f->length < 0) { gt->lost++; return; } /* it does not fit: a gap in the numbers says so */
    n += snprintf(line + n, sizeof line - (size_t)n, "%s", f->body);
    if (gt->socket >= 0) gt_line(gt, line, n);
}
#endif
