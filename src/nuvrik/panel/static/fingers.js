// A second finger touches a button while the first holds a stick: browsers make no click of that, so this does.

const NEAR_PX = 12;
const AGAIN_MS = 500;

const buttonOf = (event) => (event.target instanceof Element ? event.target.closest("button") : null);

export function secondFingers() {
  const down = new Map();
  let clicked = null;
  addEventListener("pointerdown", (event) => {
    const button = buttonOf(event);
    // What acts while it is held looks at fingers itself.
    if (event.isPrimary || !button || button.matches("[data-controls], #next, #stop")) return;
    down.set(event.pointerId, [button, event.clientX, event.clientY]);
  });
  addEventListener("pointerup", (event) => {
    const [button, x, y] = down.get(event.pointerId) ?? [];
    down.delete(event.pointerId);
    if (!button || Math.hypot(event.clientX - x, event.clientY - y) > NEAR_PX) return;
    clicked = [button, event.timeStamp];
    button.click();
  });
  addEventListener("pointercancel", (event) => down.delete(event.pointerId));
  // A browser that makes one all the same makes it twice.
  addEventListener(
    "click",
    (event) => {
      if (!event.isTrusted || !clicked || event.timeStamp - clicked[1] > AGAIN_MS) return;
      if (buttonOf(event) === clicked[0]) event.stopImmediatePropagation();
    },
    { capture: true },
  );
}
