// A reporter that ends the process with the first test that fails: that is all one wants to know.
export default async function* firstFailure(events) {
  for await (const { type } of events) {
    if (type === 'test:fail') process.exit(1);
    yield '';
  }
}
