/** An answer that another process has written as JSON already: it is passed on as it is, since reading it takes this one's time. */
export class WrittenAnswer {
  constructor(readonly json: Buffer) {}
}
