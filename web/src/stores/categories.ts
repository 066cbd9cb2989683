import { CategoryList } from '@flagstone/core/ucs/category-list';
import { defineStore } from 'pinia';
import { shallowRef } from 'vue';
import { call } from '../api/client.ts';

/** The category list in force, with core's search over it. */
export const useCategories = defineStore('categories', () => {
  const list = shallowRef(new CategoryList('', []));

  async function load(): Promise<void> {
    const { source, categories } = await call('listCategories');
    list.value = new CategoryList(source, categories);
  }

  return { list, load };
});
