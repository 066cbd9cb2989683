import type { KeyIn, KeyPlace } from './keys.ts';
import { onBeforeUnmount, onMounted } from 'vue';

/** Whether the person is typing or working in a list, menu or dialog of its own, so that no key of ours may fire. */
export function isBusyElsewhere(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target.isContentEditable || target.closest('[role="dialog"], [role="menu"], [role="listbox"]')) return true;
  if (target instanceof HTMLInputElement) return !['checkbox', 'radio', 'range', 'button'].includes(target.type);
  return target instanceof HTMLTextAreaElement || target instanceof HTMLSelectElement;
}

/** Whether the page is behind a form that has to be answered first, as the one to sign in again: a key would act once that is done. */
function isBehindForm(): boolean {
  return document.querySelector('[inert]') !== null;
}

/** A key as written in the map: `Space`, `ArrowDown`, `/`, `Ctrl+a`. */
function keyName(event: KeyboardEvent): string {
  const key = event.key === ' ' ? 'Space' : event.key.length === 1 ? event.key.toLowerCase() : event.key;
  // Shift is named only where it makes no other character.
  const shift = event.shiftKey && key === 'Space' ? 'Shift+' : '';
  return `${event.ctrlKey || event.metaKey ? 'Ctrl+' : ''}${event.altKey ? 'Alt+' : ''}${shift}${key}`;
}

type KeyHandler = (event: KeyboardEvent) => boolean | void;

/** Keys of a place (keys.ts) that act while this component is shown; none fires while somebody types. A handler that returns false lets the key pass. */
export function useKeys<Place extends KeyPlace>(
  _place: Place,
  handlers: Partial<Record<KeyIn<Place>, KeyHandler>>,
): void {
  const keys = handlers as Record<string, KeyHandler | undefined>;
  const onKey = (event: KeyboardEvent): void => {
    if (event.defaultPrevented || isBusyElsewhere(event.target) || isBehindForm()) return;
    const name = keyName(event);
    const act = keys[name];
    if (!act) return;
    // Space and Enter on a focused button press that button.
    const onButton =
      event.target instanceof HTMLElement &&
      event.target.closest('button, a, input, [role="switch"], [role="checkbox"], [role="slider"], [role="tab"]');
    if (onButton && (name === 'Space' || name === 'Enter')) return;
    if (act(event) !== false) event.preventDefault();
  };
  onMounted(() => window.addEventListener('keydown', onKey));
  onBeforeUnmount(() => window.removeEventListener('keydown', onKey));
}
