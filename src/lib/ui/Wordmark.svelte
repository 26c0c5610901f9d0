<svg
  viewBox="0 0 32 24"
  width="28"
  height="21"
  aria-hidden="true"
  fill="none"
  stroke-width="2.6"
  stroke-linecap="round"
>
  <path d="M3 8c4-6 8-6 13 0s9 6 13 0" stroke="var(--accent)" />
  <path d="M3 17c4-6 8-6 13 0s9 6 13 0" stroke="var(--data-line)" />
</svg>
