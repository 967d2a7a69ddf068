/** Shows and hides what was typed. Without this script the button stays hidden. */
const input = document.querySelector<HTMLInputElement>('#password');
const button = document.querySelector<HTMLButtonElement>('#reveal');
if (input && button) {
  button.hidden = false;
  button.addEventListener('click', () => {
    const isShown = input.type === 'password';
    input.type = isShown ? 'text' : 'password';
    button.textContent = (isShown ? button.dataset['hide'] : button.dataset['show']) ?? '';
    input.focus();
  });
  // A shown password must not be kept as ordinary text by the browser's form memory.
  input.form?.addEventListener('submit', () => (input.type = 'password'));
}
