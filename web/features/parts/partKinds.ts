/** The kinds of parts as their lists show them, and the form of each. */
import type { Component } from 'vue';
import type { PartKind } from '@tracheon/core/contract';
import EventTypeForm from './EventTypeForm.vue';
import LandingPageForm from './LandingPageForm.vue';
import NetworkForm from './NetworkForm.vue';
import OfferForm from './OfferForm.vue';
import PartnerForm from './PartnerForm.vue';
import SourceForm from './SourceForm.vue';

export type Kind = Exclude<PartKind, 'campaign'>;
export const kinds: Record<Kind, { many: string; says: string; example: string; form: Component }> = {
  network: {
    many: 'Networks',
    says: 'Companies that pay you for conversions, with their macros, status mapping and postback URL.',
    example: 'Larkspur CPA receives our click ID as aff_ref and returns it as #ref#.',
    form: NetworkForm,
  },
  source: {
    many: 'Sources',
    says: 'Ad networks that sell you visits, with the macros they fill and the postbacks they get.',
    example: 'Moorhen Push sends its click ID as clk=[click] and the site as site=[site].',
    form: SourceForm,
  },
  'landing-page': {
    many: 'Landing pages',
    says: 'Pages that visitors see before the offer, with the button links and script they need.',
    example: 'Terrarium story, with two buttons, checked this morning.',
    form: LandingPageForm,
  },
  offer: {
    many: 'Offers',
    says: 'What you promote: the network’s link with our click ID, and the payout of a conversion.',
    example: 'Fernway terrarium box by Larkspur CPA, 18.00 EUR, payout as reported.',
    form: OfferForm,
  },
  'event-type': {
    many: 'Event types',
    says: 'What networks pay for (sales, sign-ups, upsells) and how each counts.',
    example: 'Upsell: may repeat, Counts as revenue but not as a conversion.',
    form: EventTypeForm,
  },
  partner: {
    many: 'Partners',
    says: 'People and companies that send visitors to your own offers.',
    example: 'Bittern Media, with its own link for each campaign.',
    form: PartnerForm,
  },
};
