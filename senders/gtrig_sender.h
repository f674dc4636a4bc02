/* Sends what a game reads from its devices to Green Trigger, while it happens.
 *
 * One file, no dependency but POSIX. Nothing is allocated after gt_open, and nothing waits:
 * what cannot be sent at once is counted, and said by the numbers of the lines; then the
 * state of all controls is said again. Call gt_frame once a frame. One thread at a time.
 *
 *     static struct gt gt;                    // large: not on the stack
 *     gt_open(&gt, "crane-game", "/tmp/gtrig.sock");
 *     int pad = gt_plug(&gt, "pad1", "pad", controls, 2);
 *     gt_value(&gt, pad, 0, 1);               // control 0 is down
 *     gt_frame(&gt);                          // sends, and connects again when it is time
 */
#ifndef GTRIG_SENDER_H
#define GTRIG_SENDER_H
#include <errno.h>
#include <fcntl.h>
#include <stdint.h>
#include <stdio.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <time.h>
#include <unistd.h>

#ifndef GT_DELAY_NS
#define GT_DELAY_NS 20000000 /* the longest frame: lines are sent at its end */
#endif
enum { GT_DEVICES = 16, GT_CONTROLS = 64, GT_BUFFER = 1 << 16 };

/* kind: "button", "axis", "trigger", "position" or "relative"; the range as reported. */
struct gt_control { const char *code, *kind; int min, centre, max; };
struct gt_device { const char *id, *kind; const struct gt_control *controls; int count, values[GT_CONTROLS]; };
struct gt {
    const char *name, *path;
    int socket, devices, is_behind;
    uint64_t number, lost, retry_at; /* lines numbered, lines that were not sent */
    size_t length;
    char boot[40], buffer[GT_BUFFER];
    struct gt_device device[GT_DEVICES];
};

static inline uint64_t gt_now(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (uint64_t)t.tv_sec * 1000000000u + (uint64_t)t.tv_nsec;
}

/* Puts a line into the buffer, or counts it as lost. Every line has a number. */
static inline void gt_line(struct gt *gt, const char *text, int length) {
    char end[32];
    int n = snprintf(end, sizeof end, ",\"n\":%llu}\n", (unsigned long long)++gt->number);
    if (gt->socket < 0 || length < 0 || gt->length + (size_t)(length + n) > GT_BUFFER) {
        gt->lost++;
        gt->is_behind = 1;
        return;
    }
    memcpy(gt->buffer + gt->length, text, (size_t)length);
    memcpy(gt->buffer + gt->length + length, end, (size_t)n);
    gt->length += (size_t)(length + n);
}

static inline void gt_say(struct gt *gt, int device, int control, uint64_t time, const char *mark) {
    struct gt_device *d = &gt->device[device];
    char line[192];
    gt_line(gt, line, snprintf(line, sizeof line, "{\"t\":%llu,\"on\":\"%s\",\"c\":\"%s\",\"v\":%d%s",
        (unsigned long long)time, d->id, d->controls[control].code, d->values[control], mark));
}

static inline void gt_say_plug(struct gt *gt, int device) {
    struct gt_device *d = &gt->device[device];
    static char line[GT_CONTROLS * 128];
    int n = snprintf(line, sizeof line, "{\"t\":%llu,\"plug\":\"%s\",\"kind\":\"%s\",\"controls\":[",
                     (unsigned long long)gt_now(), d->id, d->kind);
    for (int i = 0; i < d->count && n > 0 && (size_t)n < sizeof line; i++) {
        const struct gt_control *c = &d->controls[i];
        size_t room = sizeof line - (size_t)n;
        const char *comma = i ? "," : "";
        if (!strcmp(c->kind, "button") || !strcmp(c->kind, "relative"))
            n += snprintf(line + n, room, "%s{\"code\":\"%s\",\"kind\":\"%s\"}", comma, c->code, c->kind);
        else if (!strcmp(c->kind, "axis"))
            n += snprintf(line + n, room, "%s{\"code\":\"%s\",\"kind\":\"axis\",\"min\":%d,\"centre\":%d,\"max\":%d}", comma, c->code, c->min, c->centre, c->max);
        else
            n += snprintf(line + n, room, "%s{\"code\":\"%s\",\"kind\":\"%s\",\"min\":%d,\"max\":%d}", comma, c->code, c->kind, c->min, c->max);
    }
    if (n > 0 && (size_t)n < sizeof line - 2) { line[n++] = ']'; gt_line(gt, line, n); }
}

/* The state of everything, after lines were lost or when it connects again. */
static inline void gt_say_state(struct gt *gt, const char *mark) {
    uint64_t now = gt_now();
    for (int d = 0; d < gt->devices; d++)
        for (int c = 0; c < gt->device[d].count; c++)
            if (strcmp(gt->device[d].controls[c].kind, "relative")) gt_say(gt, d, c, now, mark);
}

static inline void gt_connect(struct gt *gt) {
    struct sockaddr_un to = { .sun_family = AF_UNIX };
    if (gt_now() < gt->retry_at) return;
    gt->retry_at = gt_now() + 500000000u; /* twice a second */
    snprintf(to.sun_path, sizeof to.sun_path, "%s", gt->path);
    if ((gt->socket = socket(AF_UNIX, SOCK_STREAM, 0)) < 0) return;
    fcntl(gt->socket, F_SETFL, O_NONBLOCK);
    if (connect(gt->socket, (struct sockaddr *)&to, sizeof to) < 0) { close(gt->socket); gt->socket = -1; return; }
    gt->length = (size_t)snprintf(gt->buffer, GT_BUFFER, "{\"live\":1,\"name\":\"%s\",\"clock\":\"%s\",\"boot\":\"%s\",\"delay\":%d}\n",
        gt->name, gt->boot[0] ? "monotonic" : "own", gt->boot, GT_DELAY_NS);
    gt->number = 0; gt->is_behind = 0;
    for (int d = 0; d < gt->devices; d++) gt_say_plug(gt, d);
    gt_say_state(gt, ",\"mark\":\"carried\"");
}

/* `name` and `path`, and what gt_plug is given, must live as long as it does. */
static inline void gt_open(struct gt *gt, const char *name, const char *path) {
    memset(gt, 0, sizeof *gt);
    gt->name = name; gt->path = path; gt->socket = -1;
    FILE *boot = fopen("/proc/sys/kernel/random/boot_id", "r");
    if (boot) { if (fscanf(boot, "%39s", gt->boot) != 1) gt->boot[0] = 0; fclose(boot); }
    gt_connect(gt);
}

/* A device is there. Returns its number, or -1 when there is no room. */
static inline int gt_plug(struct gt *gt, const char *id, const char *kind, const struct gt_control *controls, int count) {
    if (gt->devices == GT_DEVICES || count > GT_CONTROLS) return -1;
    gt->device[gt->devices] = (struct gt_device){ .id = id, .kind = kind, .controls = controls, .count = count };
    for (int c = 0; c < count; c++)
        gt->device[gt->devices].values[c] = strcmp(controls[c].kind, "axis") ? (strcmp(controls[c].kind, "trigger") ? 0 : controls[c].min) : controls[c].centre;
    if (gt->socket >= 0) gt_say_plug(gt, gt->devices);
    return gt->devices++;
}

/* A control took a value at `time`, by CLOCK_MONOTONIC. What did not change is not sent. */
static inline void gt_value_at(struct gt *gt, int device, int control, int value, uint64_t time) {
    struct gt_device *d = &gt->device[device];
    if (d->values[control] == value && strcmp(d->controls[control].kind, "relative")) return;
    d->values[control] = value;
    if (gt->socket >= 0) gt_say(gt, device, control, time, "");
}

static inline void gt_value(struct gt *gt, int device, int control, int value) { gt_value_at(gt, device, control, value, gt_now()); }

/* Sends what fits, and never waits. */
static inline void gt_frame(struct gt *gt) {
    if (gt->socket < 0) { gt_connect(gt); if (gt->socket < 0) return; }
    if (gt->is_behind && gt->length < GT_BUFFER / 2) { gt->is_behind = 0; gt_say_state(gt, ",\"mark\":\"resynced\""); }
    if (!gt->length) return;
    ssize_t sent = send(gt->socket, gt->buffer, gt->length, MSG_DONTWAIT | MSG_NOSIGNAL);
    if (sent > 0) memmove(gt->buffer, gt->buffer + sent, gt->length -= (size_t)sent);
    else if (sent < 0 && errno != EAGAIN && errno != EINTR) { close(gt->socket); gt->socket = -1; gt->length = 0; }
}
#endif
