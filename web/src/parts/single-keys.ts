/** Whether single keys act: who dictates, or types by mistake, can switch them off (WCAG 2.1.4). */

const PLACE = 'kavrel-single-keys';

export const singleKeysAct = (): boolean => localStorage.getItem(PLACE) !== 'off';

export function switchSingleKeys(on: boolean): void {
  localStorage.setItem(PLACE, on ? 'on' : 'off');
}
