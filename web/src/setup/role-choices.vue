<script setup lang="ts">
import { ROLES, type CollectionRole, type Role } from '@flagstone/contract/roles';
import { computed } from 'vue';
import PickOne from '../ui/pick-one.vue';
import { useCollections } from '../stores/collections.ts';

/** The roles of one person, a choice for each collection, and one for all of them at once. */
const props = defineProps<{ roles: CollectionRole[]; whose: string }>();
const emit = defineEmits<{ change: [roles: CollectionRole[]] }>();

const collections = useCollections();
const MAY: Record<Role, string> = {
  listener: 'searches and hears',
  editor: 'also pulls and copies out',
  assistant: 'also describes',
  librarian: 'also names, writes, files',
};
/** No role is a choice too: what is not seen. */
const NONE = 'none';
const CHOICES: { value: Role | typeof NONE; label: string }[] = [
  { value: NONE, label: 'no role: does not see it' },
  ...ROLES.map((role) => ({ value: role, label: `${role}: ${MAY[role]}` })),
];
const roleIn = computed(() => new Map(props.roles.map((each) => [each.collectionId, each.role])));

function set(collectionIds: readonly number[], role: Role | typeof NONE): void {
  const others = props.roles.filter((each) => !collectionIds.includes(each.collectionId));
  const given = role === NONE ? [] : collectionIds.map((collectionId) => ({ collectionId, role }));
  emit('change', [...others, ...given]);
}
</script>

<template>
  <div class="roles" role="group" :aria-label="`Roles of ${whose}`">
    <template v-if="collections.list.length > 1">
      <span class="soft">In all collections</span>
      <pick-one
        :choices="CHOICES"
        placeholder="Choose one for all…"
        :label="`Role of ${whose} in all collections`"
        @pick="
          (role) =>
            set(
              collections.list.map(({ id }) => id),
              role,
            )
        "
      />
    </template>
    <template v-for="each in collections.list" :key="each.id">
      <span>{{ each.name }}{{ each.retired ? ' (retired)' : '' }}</span>
      <pick-one
        :value="roleIn.get(each.id) ?? NONE"
        :choices="CHOICES"
        :label="`Role of ${whose} in ${each.name}`"
        @pick="(role) => set([each.id], role)"
      />
    </template>
  </div>
</template>

<style scoped>
.roles {
  display: grid;
  grid-template-columns: max-content 260px;
  gap: 6px 16px;
  align-items: center;
  padding: 4px 0;
}
</style>
