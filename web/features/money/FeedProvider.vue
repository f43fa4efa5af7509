<script setup lang="ts">
/** Where a feed's report is, how Tracheon signs in, and how it reads the answer. */
import InputText from 'primevue/inputtext';
import { REPORT_MARK, type FeedInput } from '@tracheon/core/contract';
import { computed } from 'vue';
import FormField from '../../ui/FormField.vue';
import PickOne from '../../ui/PickOne.vue';
import SecretField from '../../ui/SecretField.vue';
import { EXAMPLE_FILE, EXAMPLE_REPORT, EXAMPLE_STATE } from './feedWords.ts';

const body = defineModel<FeedInput>({ required: true });
/** Never part of a draft: it must not lie in the browser. */
const secret = defineModel<string>('secret', { required: true });
defineProps<{
  /** The server has a key of this feed. */
  hasSecret: boolean;
  secretError: string;
  error: (path: string) => string | undefined;
}>();
const hasKey = computed(() => body.value.signIn !== 'none');
const REPORT_HINT = `Write ${REPORT_MARK} where the report’s ID goes.`;
</script>
<template>
  <FormField
    v-slot="{ id, invalid }"
    label="Address of the report"
    hint="Write {day} where the day goes. Tracheon puts it in as 2026-11-25."
    :error="error('url')"
  >
    <InputText
      :id="id"
      v-model.trim="body.url"
      class="mono"
      :invalid="invalid"
      autocomplete="off"
      :placeholder="EXAMPLE_REPORT"
    />
  </FormField>
  <div class="two">
    <FormField v-slot="{ id }" label="Sign-in">
      <PickOne
        :id="id"
        v-model="body.signIn"
        :options="[
          { value: 'none', label: 'none' },
          { value: 'header', label: 'key in a header' },
          { value: 'parameter', label: 'key in a parameter' },
          { value: 'basic', label: 'user and password' },
          { value: 'token', label: 'user and secret for a token' },
        ]"
      />
    </FormField>
    <FormField
      v-if="['header', 'parameter', 'token'].includes(body.signIn)"
      v-slot="{ id, invalid }"
      :label="body.signIn === 'parameter' ? 'Parameter of the key' : 'Header of the key'"
      :error="error('signInName')"
    >
      <InputText
        :id="id"
        v-model.trim="body.signInName"
        :invalid="invalid"
        autocomplete="off"
        :placeholder="body.signIn === 'parameter' ? 'api_key' : 'X-Api-Key'"
      />
    </FormField>
    <FormField
      v-if="['basic', 'token'].includes(body.signIn)"
      v-slot="{ id, invalid }"
      label="User"
      :error="error('user')"
    >
      <InputText :id="id" v-model="body.user" :invalid="invalid" autocomplete="off" />
    </FormField>
    <FormField
      v-if="hasKey"
      v-slot="{ id, invalid }"
      :label="body.signIn === 'basic' ? 'Password' : body.signIn === 'token' ? 'Secret' : 'Key'"
      :hint="
        hasSecret ? 'Saved. Leave it empty to keep it.' : 'Tracheon encrypts it and never shows it again.'
      "
      :error="secretError"
    >
      <SecretField :id="id" v-model="secret" :invalid="invalid" autocomplete="new-password" />
    </FormField>
  </div>
  <div v-if="body.signIn === 'token'" class="two">
    <FormField v-slot="{ id, invalid }" label="Address that gives the token" :error="error('tokenUrl')">
      <InputText :id="id" v-model.trim="body.tokenUrl" class="mono" :invalid="invalid" autocomplete="off" />
    </FormField>
    <FormField v-slot="{ id, invalid }" label="Field with the token" :error="error('tokenAt')">
      <InputText
        :id="id"
        v-model.trim="body.tokenAt"
        class="mono"
        :invalid="invalid"
        autocomplete="off"
        placeholder="access_token"
      />
    </FormField>
  </div>
  <FormField
    v-if="['header', 'token'].includes(body.signIn)"
    v-slot="{ id }"
    label="Text before the key (optional)"
    hint="Some providers want “Bearer ” there."
  >
    <InputText :id="id" v-model="body.signInPrefix" autocomplete="off" />
  </FormField>
  <div class="two">
    <FormField
      v-slot="{ id }"
      label="When the report is there"
      hint="Some providers prepare a report first, and have it some minutes later."
    >
      <PickOne
        :id="id"
        v-model="body.report"
        :options="[
          { value: 'at_once', label: 'in the answer' },
          { value: 'prepared', label: 'later, at another address' },
        ]"
      />
    </FormField>
    <FormField v-if="body.report === 'prepared'" v-slot="{ id }" label="The address above orders it by">
      <PickOne
        :id="id"
        v-model="body.reportMethod"
        :options="[
          { value: 'get', label: 'GET' },
          { value: 'post', label: 'POST' },
        ]"
      />
    </FormField>
  </div>
  <template v-if="body.report === 'prepared'">
    <FormField
      v-slot="{ id, invalid }"
      label="Field with the report’s ID"
      hint="In the answer to the order, which is JSON."
      :error="error('reportAt')"
    >
      <InputText
        :id="id"
        v-model.trim="body.reportAt"
        class="mono"
        :invalid="invalid"
        autocomplete="off"
        placeholder="report.id"
      />
    </FormField>
    <FormField
      v-slot="{ id, invalid }"
      label="Address of the report’s state"
      :hint="REPORT_HINT"
      :error="error('statusUrl')"
    >
      <InputText
        :id="id"
        v-model.trim="body.statusUrl"
        class="mono"
        :invalid="invalid"
        autocomplete="off"
        :placeholder="EXAMPLE_STATE"
      />
    </FormField>
    <div class="two">
      <FormField v-slot="{ id, invalid }" label="Field with the state" :error="error('readyAt')">
        <InputText
          :id="id"
          v-model.trim="body.readyAt"
          class="mono"
          :invalid="invalid"
          autocomplete="off"
          placeholder="state"
        />
      </FormField>
      <FormField v-slot="{ id, invalid }" label="Value when ready" :error="error('readyWord')">
        <InputText
          :id="id"
          v-model.trim="body.readyWord"
          :invalid="invalid"
          autocomplete="off"
          placeholder="done"
        />
      </FormField>
    </div>
    <FormField
      v-slot="{ id, invalid }"
      label="Address of the finished report"
      :hint="REPORT_HINT"
      :error="error('fileUrl')"
    >
      <InputText
        :id="id"
        v-model.trim="body.fileUrl"
        class="mono"
        :invalid="invalid"
        autocomplete="off"
        :placeholder="EXAMPLE_FILE"
      />
    </FormField>
  </template>
  <div class="two">
    <FormField v-slot="{ id }" label="Format">
      <PickOne
        :id="id"
        v-model="body.format"
        :options="[
          { value: 'json', label: 'JSON' },
          { value: 'csv', label: 'CSV' },
        ]"
      />
    </FormField>
    <FormField
      v-if="body.format === 'json'"
      v-slot="{ id, invalid }"
      label="Field with the list of rows"
      hint="For example data.rows. Leave it empty when the answer is the list."
      :error="error('rowsAt')"
    >
      <InputText :id="id" v-model.trim="body.rowsAt" class="mono" :invalid="invalid" autocomplete="off" />
    </FormField>
    <FormField v-slot="{ id }" label="Pages">
      <PickOne
        :id="id"
        v-model="body.paging"
        :options="[
          { value: 'none', label: 'all rows in one answer' },
          { value: 'page', label: 'numbered pages' },
          { value: 'next', label: 'each page names the next one' },
        ]"
      />
    </FormField>
    <FormField
      v-if="body.paging === 'page'"
      v-slot="{ id, invalid }"
      label="Parameter of the page"
      :error="error('pageParameter')"
    >
      <InputText
        :id="id"
        v-model.trim="body.pageParameter"
        :invalid="invalid"
        autocomplete="off"
        placeholder="page"
      />
    </FormField>
    <FormField
      v-if="body.paging === 'next'"
      v-slot="{ id, invalid }"
      label="Field with the next address"
      :error="error('nextAt')"
    >
      <InputText
        :id="id"
        v-model.trim="body.nextAt"
        class="mono"
        :invalid="invalid"
        autocomplete="off"
        placeholder="next"
      />
    </FormField>
  </div>
</template>
<style scoped>
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(240px, 100%), 1fr));
  gap: 2px 14px;
  align-items: start;
}
</style>
