<script setup lang="ts">
import InputNumber from 'primevue/inputnumber';
import { useId, watch } from 'vue';

/** A number with its unit, committed when a person is done with it. */
const props = defineProps<{
  label: string;
  hint?: string;
  unit?: string;
  modelValue: number;
  min: number;
  max: number;
  step?: number;
  digits?: number;
}>();
const emit = defineEmits<{ commit: [value: number] }>();
const id = useId();

/** What was said last: leaving the field says it once more. */
let sent: number | undefined;
watch(
  () => props.modelValue,
  () => (sent = undefined),
);

function commit(value: unknown): void {
  if (typeof value !== 'number' || value === props.modelValue || value === sent) return;
  sent = value;
  emit('commit', value);
}

/** After Enter the arrow keys step through frames again. */
const letGo = (event: KeyboardEvent): void => (event.target as HTMLElement).blur();
</script>

<template>
  <div class="field" :title="hint">
    <label :for="id">{{ label }}</label>
    <InputNumber
      :input-id="id"
      :model-value="modelValue"
      :min="min"
      :max="max"
      :step="step ?? 1"
      :max-fraction-digits="digits ?? 0"
      :suffix="unit ? ` ${unit}` : ''"
      :use-grouping="false"
      size="small"
      show-buttons
      @update:model-value="commit"
      @keyup.enter="letGo"
    />
  </div>
</template>

<style scoped>
.field {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 8px;
  min-height: 32px;
  font-size: 13.5px;
}
.field :deep(input) {
  width: 112px;
  padding: 3px 8px;
  font-variant-numeric: tabular-nums;
}
</style>
