<script setup lang="ts">
import { computed } from 'vue';
import { guideBlocks } from './guideBlocks.ts';

const props = defineProps<{ text: string }>();
const blocks = computed(() => guideBlocks(props.text));
</script>
<template>
  <article class="guide">
    <template v-for="(b, i) in blocks" :key="i">
      <ul v-if="b.kind === 'ul'">
        <li v-for="(line, j) in b.lines" :key="j">
          <component :is="s.kind === 'text' ? 'span' : s.kind" v-for="(s, k) in line" :key="k">{{
            s.text
          }}</component>
        </li>
      </ul>
      <component :is="{ h1: 'h2', h2: 'h3', p: 'p' }[b.kind]" v-else
        ><component :is="s.kind === 'text' ? 'span' : s.kind" v-for="(s, k) in b.lines[0]" :key="k">{{
          s.text
        }}</component></component
      >
    </template>
  </article>
</template>
<style scoped>
.guide {
  max-width: 62ch;
}
h2 {
  margin: 0 0 6px;
  font-size: 16px;
}
h3 {
  margin: 14px 0 2px;
  font-size: 13px;
}
p {
  margin: 4px 0;
}
ul {
  margin: 4px 0;
  padding-left: 18px;
}
span {
  white-space: pre-line;
}
</style>
