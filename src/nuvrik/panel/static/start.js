// What stands in the page is painted first; then comes everything else. So on a slow line or a slow computer
// the state and the stop are there before they work, and say so.

requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(() => import("./main.js"), 0)));
