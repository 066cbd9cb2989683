import { computed, inject, type ComputedRef, type InjectionKey } from 'vue';

/** Whether what stands on a part of a page may only be looked at. */
export const READ_ONLY: InjectionKey<ComputedRef<boolean>> = Symbol('read only');

/** For controls that the library of controls does not know: whether they stand where nothing may be changed. */
export const useReadOnly = (): ComputedRef<boolean> =>
  inject(
    READ_ONLY,
    computed(() => false),
  );
