<script setup lang="ts">
/** Where a feed's report is, how Tracheon signs in, and how it reads the answer. */
import { REPORT_MARK, type FeedInput } from '@tracheon/core/contract';
import { computed } from 'vue';
import FormField from '../../ui/FormField.vue';
import PickOne from '../../ui/PickOne.vue';
import SecretField from '../../ui/SecretField.vue';
import TextField from '../../ui/TextField.vue';
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
  <TextField
    v-model.trim="body.url"
    label="Address of the report"
    hint="Write {day} where the day goes. Tracheon puts it in as 2026-11-25."
    :error="error('url')"
    mono
    :placeholder="EXAMPLE_REPORT"
  />
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
    <TextField
      v-if="['header', 'parameter', 'token'].includes(body.signIn)"
      v-model.trim="body.signInName"
      :label="body.signIn === 'parameter' ? 'Parameter of the key' : 'Header of the key'"
      :error="error('signInName')"
      :placeholder="body.signIn === 'parameter' ? 'api_key' : 'X-Api-Key'"
    />
    <TextField
      v-if="['basic', 'token'].includes(body.signIn)"
      v-model="body.user"
      label="User"
      :error="error('user')"
    />
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
    <TextField
      v-model.trim="body.tokenUrl"
      label="Address that gives the token"
      :error="error('tokenUrl')"
      mono
    />
    <TextField
      v-model.trim="body.tokenAt"
      label="Field with the token"
      :error="error('tokenAt')"
      mono
      placeholder="access_token"
    />
  </div>
  <TextField
    v-if="['header', 'token'].includes(body.signIn)"
    v-model="body.signInPrefix"
    label="Text before the key (optional)"
    hint="Some providers want “Bearer ” there."
  />
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
    <TextField
      v-model.trim="body.reportAt"
      label="Field with the report’s ID"
      hint="In the answer to the order, which is JSON."
      :error="error('reportAt')"
      mono
      placeholder="report.id"
    />
    <TextField
      v-model.trim="body.statusUrl"
      label="Address of the report’s state"
      :hint="REPORT_HINT"
      :error="error('statusUrl')"
      mono
      :placeholder="EXAMPLE_STATE"
    />
    <div class="two">
      <TextField
        v-model.trim="body.readyAt"
        label="Field with the state"
        :error="error('readyAt')"
        mono
        placeholder="state"
      />
      <TextField
        v-model.trim="body.readyWord"
        label="Value when ready"
        :error="error('readyWord')"
        placeholder="done"
      />
    </div>
    <TextField
      v-model.trim="body.fileUrl"
      label="Address of the finished report"
      :hint="REPORT_HINT"
      :error="error('fileUrl')"
      mono
      :placeholder="EXAMPLE_FILE"
    />
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
    <TextField
      v-if="body.format === 'json'"
      v-model.trim="body.rowsAt"
      label="Field with the list of rows"
      hint="For example data.rows. Leave it empty when the answer is the list."
      :error="error('rowsAt')"
      mono
    />
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
    <TextField
      v-if="body.paging === 'page'"
      v-model.trim="body.pageParameter"
      label="Parameter of the page"
      :error="error('pageParameter')"
      placeholder="page"
    />
    <TextField
      v-if="body.paging === 'next'"
      v-model.trim="body.nextAt"
      label="Field with the next address"
      :error="error('nextAt')"
      mono
      placeholder="next"
    />
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
