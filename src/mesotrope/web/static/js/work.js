// The pages beside and after the stages: acts are kept like entries.

import "./acts.js";
import "./keep.js";
import { resume } from "./queue.js";

resume();
