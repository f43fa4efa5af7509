<script setup lang="ts">
/** Tests of a campaign by its real endpoints: a visit, a button click, a conversion. */
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import { reactive, ref } from 'vue';
import { useKeys } from '../../app/keys.ts';
import TestSettings from './TestSettings.vue';
import { useTests } from './useTests.ts';
import type { ShownCampaign } from './useCampaignLive.ts';

const props = defineProps<{ shown: ShownCampaign; country: string }>();
const tests = reactive(useTests(props.shown, props.country));
const more = ref(false);
useKeys([{ key: 'v', words: 'Send test visit', run: () => tests.isLive && void tests.sendVisit() }]);
</script>
<template>
  <div class="tests" role="group" aria-label="Test this campaign">
    <div class="acts">
      <Button severity="secondary" :disabled="tests.busy !== '' || !tests.isLive" @click="tests.sendVisit">
        Send test visit <kbd>V</kbd>
      </Button>
      <template v-if="shown.page.value">
        <Button
          v-for="n in shown.page.value.body.buttons"
          :key="n"
          severity="secondary"
          :disabled="tests.busy !== '' || tests.about === ''"
          @click="tests.press(n)"
        >
          Click button {{ n }}
        </Button>
      </template>
      <Button severity="secondary" :disabled="tests.busy !== '' || tests.about === ''" @click="tests.fire">
        Send test conversion
      </Button>
    </div>
    <p v-if="!tests.isLive" class="quiet small">
      Tests need a live campaign. {{ shown.campaign.value?.state === 'paused' ? 'Resume it first.' : '' }}
    </p>
    <p v-else-if="tests.about === ''" class="quiet small">
      Send a test visit first; the button click and the conversion belong to it.
    </p>
    <label class="row tell"
      ><Checkbox v-model="tests.conversion.reportToSource" binary /> Also send the postback to the
      source</label
    >
    <p v-if="tests.busy" class="quiet small" role="status">Sending …</p>
    <p v-if="tests.said" class="small said" role="status">{{ tests.said }}</p>
    <p v-if="tests.failure" class="error small" role="alert">{{ tests.failure }}</p>
    <Button variant="link" class="small" :aria-expanded="more" @click="more = !more">
      {{ more ? 'Hide settings' : 'Visitor and payout settings' }}
    </Button>
    <TestSettings
      v-if="more"
      v-model:visitor="tests.visitor"
      v-model:conversion="tests.conversion"
      :parameters="(shown.source.value?.body.parameters ?? []).map((p) => p.parameter)"
      @copy-link="tests.copyLink"
    />
  </div>
</template>
<style scoped>
.tests {
  display: grid;
  gap: 6px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.said {
  background: var(--tint);
  border-radius: 4px;
  padding: 4px 8px;
}
.small {
  font-size: 12px;
  overflow-wrap: anywhere;
}
@media (max-width: 640px) {
  /* For a thumb. */
  .acts button {
    flex: 1 1 100%;
    min-height: 48px;
    justify-content: center;
  }
  .tell {
    min-height: 44px;
  }
  button.small {
    min-height: 44px;
  }
}
</style>
