import { useEffect } from "react";

/** When what holds this goes, the focus goes back to where it was before it came, if that is still there. */
export function useFocusBack(): void {
  useEffect(() => {
    const before = document.activeElement;
    return () => {
      if (before instanceof HTMLElement && before.isConnected) before.focus();
    };
  }, []);
}
