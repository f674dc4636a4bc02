"""Presses a button ten times; or, with "flood", says more than anybody reads."""

import sys
import time

import gtrig_sender as g

sender = g.Sender("crane-py", sys.argv[1])
pad = sender.plug(
    "pad1", "pad", [g.button("south"), g.axis("stick-l-x", -100, 0, 100), g.trigger("trigger-r", 0, 255)]
)
if len(sys.argv) > 2:
    for i in range(100_000):
        pad.value("stick-l-x", i % 100)
        if i % 10 == 0:
            sender.frame()
    print("all said", flush=True)
    for _ in range(400):
        sender.frame()
        time.sleep(0.005)
else:
    for i in range(20):
        pad.value("south", i % 2 == 0)
        pad.value("stick-l-x", i)
        pad.value("trigger-r", i)
        for _ in range(10):
            sender.frame()
            time.sleep(0.005)
print(sender.lost, "lost")
