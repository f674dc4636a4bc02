/* Presses a button ten times; or, with "hold", holds it until it is killed; or, with
 * "flood", says more than anybody reads, and then nothing new. */
#define _GNU_SOURCE
#include "gtrig_sender.h"

static struct gt gt;
static const struct gt_control controls[] = {
    { "south", "button", 0, 0, 0 },
    { "stick-l-x", "axis", -100, 0, 100 },
    { "trigger-r", "trigger", 0, 0, 255 },
};

int main(int argc, char **argv) {
    const char *how = argc > 2 ? argv[2] : "";
    gt_open(&gt, "crane-c", argv[1]);
    int pad = gt_plug(&gt, "pad1", "pad", controls, 3);
    if (!strcmp(how, "flood")) {
        for (int i = 0; i < 200000; i++) { gt_value(&gt, pad, 1, i % 100); if (i % 10 == 0) gt_frame(&gt); }
        puts("all said");
        fflush(stdout);
        for (int frame = 0; frame < 400; frame++) { gt_frame(&gt); usleep(5000); }
    }
    if (!strcmp(how, "hold"))
        for (gt_value(&gt, pad, 0, 1);; usleep(5000)) gt_frame(&gt);
    for (int i = 0; !*how && i < 20; i++) {
        gt_value(&gt, pad, 0, i % 2 == 0);
        gt_value(&gt, pad, 1, i);
        gt_value(&gt, pad, 2, i);
        for (int frame = 0; frame < 10; frame++) { gt_frame(&gt); usleep(5000); }
    }
    printf("%llu lost\n", (unsigned long long)gt.lost);
    return 0;
}
