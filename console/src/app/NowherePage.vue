<template>
  <h1>Page not found</h1>
  <p class="sub">There is no page at this address. <RouterLink to="/">Go to Today</RouterLink></p>
</template>
