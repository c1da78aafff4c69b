/** Stands in for the scroll lock of lists and dialogs: the page itself never scrolls here, and locking
 * it would have every element's style worked out anew each time a list opens or closes. */
import { type ElementType, forwardRef, type ReactNode } from "react";

interface Props {
  as?: ElementType;
  children?: ReactNode;
}

export const RemoveScroll = forwardRef<unknown, Props>(function RemoveScroll(
  { as: As = "div", children },
  ref,
) {
  return <As ref={ref}>{children}</As>;
});
