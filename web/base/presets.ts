/**
 * The library's presets of the components that are in use, and of those inside them: all of them together weigh more than most
 * screens. A test finds what is missing here.
 */
import type { ExtendedCSS } from '@primeuix/themes/types';
import base from '@primeuix/themes/aura/base';
import css from '@primeuix/themes/aura/css';
import accordion from '@primeuix/themes/aura/accordion';
import autocomplete from '@primeuix/themes/aura/autocomplete';
import badge from '@primeuix/themes/aura/badge';
import button from '@primeuix/themes/aura/button';
import checkbox from '@primeuix/themes/aura/checkbox';
import chip from '@primeuix/themes/aura/chip';
import confirmdialog from '@primeuix/themes/aura/confirmdialog';
import datatable from '@primeuix/themes/aura/datatable';
import datepicker from '@primeuix/themes/aura/datepicker';
import dialog from '@primeuix/themes/aura/dialog';
import drawer from '@primeuix/themes/aura/drawer';
import fileupload from '@primeuix/themes/aura/fileupload';
import iconfield from '@primeuix/themes/aura/iconfield';
import inputnumber from '@primeuix/themes/aura/inputnumber';
import inputtext from '@primeuix/themes/aura/inputtext';
import listbox from '@primeuix/themes/aura/listbox';
import menu from '@primeuix/themes/aura/menu';
import message from '@primeuix/themes/aura/message';
import multiselect from '@primeuix/themes/aura/multiselect';
import paginator from '@primeuix/themes/aura/paginator';
import password from '@primeuix/themes/aura/password';
import popover from '@primeuix/themes/aura/popover';
import progressbar from '@primeuix/themes/aura/progressbar';
import radiobutton from '@primeuix/themes/aura/radiobutton';
import ripple from '@primeuix/themes/aura/ripple';
import select from '@primeuix/themes/aura/select';
import selectbutton from '@primeuix/themes/aura/selectbutton';
import textarea from '@primeuix/themes/aura/textarea';
import toast from '@primeuix/themes/aura/toast';
import togglebutton from '@primeuix/themes/aura/togglebutton';
import toggleswitch from '@primeuix/themes/aura/toggleswitch';
import virtualscroller from '@primeuix/themes/aura/virtualscroller';

/** Its types name no default export; it has one. */
const extended = css as unknown as ExtendedCSS;

export const presets = {
  ...base,
  css: extended,
  components: {
    accordion,
    autocomplete,
    badge,
    button,
    checkbox,
    chip,
    confirmdialog,
    datatable,
    datepicker,
    dialog,
    drawer,
    fileupload,
    iconfield,
    inputnumber,
    inputtext,
    listbox,
    menu,
    message,
    multiselect,
    paginator,
    password,
    popover,
    progressbar,
    radiobutton,
    ripple,
    select,
    selectbutton,
    textarea,
    toast,
    togglebutton,
    toggleswitch,
    virtualscroller,
  },
};
