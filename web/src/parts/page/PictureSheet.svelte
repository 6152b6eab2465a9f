<script lang="ts">
  /** A sheet with a picture. */
  import type { PictureBody } from '../../api/client'
  import { imageOf } from '../../api/images'

  let { picture, bench }: { picture: PictureBody; bench: boolean } = $props()
</script>

{#if picture.image}
  <img class={picture.fit} src={imageOf(picture.image)} alt={picture.alt} draggable="false" />
{:else if bench}
  <p class="soft">No picture yet. Choose it and take one below.</p>
{/if}

<style>
  img {
    flex: 1;
    min-height: 0;
    width: 100%;
    object-fit: contain;
  }
  img.fill {
    object-fit: cover;
  }
</style>
