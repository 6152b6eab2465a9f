<script lang="ts">
</script>

<main class="page">
  <h1>There is no such page</h1>
  <p class="sentence">
    The address may be old. Go to the <a class="slot" href="#/scorecards">scorecards</a>.
  </p>
</main>
