// Where readings of the simulated instruments travel between the windows of one browser.
export const CHANNEL = "mesotrope-bench";
