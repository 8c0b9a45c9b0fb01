// What the scripts say, in the language of the page. The page brings the words that differ from the English here.

const brought = JSON.parse(document.querySelector("meta[name=words]")?.content || "{}");

// Says a message, with what stands in its gaps: t("saved {time}", { time: "9:30" }).
export const t = (message, gaps = {}) =>
  (brought[message] ?? message).replace(/\{(\w+)\}/g, (gap, name) => gaps[name] ?? gap);

export const savedNow = () => t("saved {time}", { time: new Date().toLocaleTimeString() });
