<template>
  <h1>Nothing is here</h1>
  <p class="sub">The address leads nowhere. <RouterLink to="/">Back to Today</RouterLink></p>
</template>
