<script lang="ts">
  import { push } from 'svelte-spa-router'
  import LiveForm from './LiveForm.svelte'
</script>

<main class="page">
  <div class="top">
    <div>
      <h1>A live source</h1>
      <p class="sentence">
        A table or view of a database that speaks MariaDB’s protocol. Its rows stay there; Iron Mark asks for
        their sums.
      </p>
    </div>
    <a class="act" href="#/data">Leave it</a>
  </div>
  <LiveForm done={(dataset) => push(`/data/${dataset.id}`)} />
</main>
