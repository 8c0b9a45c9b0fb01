// Everything that moves on a page, started once.

import { start } from "./entry.js";
import { resume } from "./keep.js";
import { listen } from "./live.js";
import { stopwatch } from "./stopwatch.js";
import { wedge } from "./wedge.js";

start();
stopwatch();
wedge();
listen();
resume();
