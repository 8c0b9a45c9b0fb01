// Everything that moves on a page, started once.

import "./acts.js";
import { start } from "./entry.js";
import "./keep.js";
import { listen } from "./live.js";
import { resume } from "./queue.js";
import { stopwatch } from "./stopwatch.js";
import { wedge } from "./wedge.js";

start();
stopwatch();
wedge();
listen();
resume();
