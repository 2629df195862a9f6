<template>
  <svg width="28" height="28" viewBox="0 0 28 28" aria-hidden="true">
    <path
      fill="var(--brass)"
      d="M2.3 18.6A12.6 12.6 0 0 1 1.6 11.8L5.9 12.6A8.2 8.2 0 0 0 6.4 17.0ZM1.9 10.4A12.6 12.6 0 0 1 5.6 4.6L8.5 7.9A8.2 8.2 0 0 0 6.2 11.6ZM6.8 3.7A12.6 12.6 0 0 1 13.2 1.4L13.5 5.8A8.2 8.2 0 0 0 9.3 7.3ZM14.8 1.4A12.6 12.6 0 0 1 21.2 3.7L18.7 7.3A8.2 8.2 0 0 0 14.5 5.8ZM22.4 4.6A12.6 12.6 0 0 1 26.1 10.4L21.8 11.6A8.2 8.2 0 0 0 19.5 7.9ZM26.4 11.8A12.6 12.6 0 0 1 25.7 18.6L21.6 17.0A8.2 8.2 0 0 0 22.1 12.6Z"
    />
    <circle cx="14" cy="14" r="4.6" fill="none" stroke="var(--ink)" stroke-width="1.5" />
    <path d="M16.6 10.2L11.4 17.8" stroke="var(--ink)" stroke-width="2.4" stroke-linecap="round" />
  </svg>
</template>
