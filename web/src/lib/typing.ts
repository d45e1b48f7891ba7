/** Whether a key is meant for a field or a window that is open, and not for the page. */
export const typing = (e: KeyboardEvent) =>
  e.target instanceof HTMLElement &&
  !!e.target.closest('input, select, textarea, dialog, [role=dialog]');
