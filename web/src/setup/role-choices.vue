<script setup lang="ts">
import { ROLES, type CollectionRole, type Role, type RoleChange } from '@flagstone/contract/roles';
import { computed } from 'vue';
import PickOne from '../ui/pick-one.vue';
import { useCollections } from '../stores/collections.ts';

/** The roles of one person, a choice for each collection, and one for all of them at once. */
const props = defineProps<{ roles: CollectionRole[]; whose: string }>();
/** Only what changes is told: a colleague may have given other roles since these were read. */
const emit = defineEmits<{ change: [changes: RoleChange[]] }>();

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

const set = (collectionIds: readonly number[], picked: Role | typeof NONE): void =>
  emit(
    'change',
    collectionIds.map((collectionId) => ({ collectionId, role: picked === NONE ? null : picked })),
  );
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
