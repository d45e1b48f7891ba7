"""How a frame is made. See: a camera and meshes become a visibility buffer (`screen`, `tile`,
`see`). Land: the lanterns of each surface, and homographies from the shot to their plates (`land`,
`throws`, `occlusion`). Expose: lookups in the plates, laid over one another (`pyramid`, `lookup`,
`cubic`, `pixel`, `expose`). Arrays and cameras in, pixels out; nothing here knows a scene."""
