# kuvio_layer(NAME LAYER core SOURCES … USES layers… PACKAGES targets…)
#
# Makes the static library kuvio_<layer>. A layer's headers are reached as "<layer>/topic.h" through
# an include folder that holds this layer alone, so that an include of a layer that is not among
# USES does not even compile.
function(kuvio_layer layer)
  cmake_parse_arguments(ARG "" "" "SOURCES;USES;PACKAGES;PUBLIC_PACKAGES" ${ARGN})
  set(gate ${CMAKE_BINARY_DIR}/include/${layer})
  file(MAKE_DIRECTORY ${gate})
  file(CREATE_LINK ${CMAKE_SOURCE_DIR}/src/${layer} ${gate}/${layer} SYMBOLIC)
  add_library(kuvio_${layer} STATIC ${ARG_SOURCES})
  target_include_directories(kuvio_${layer} PUBLIC ${gate})
  foreach(used ${ARG_USES})
    target_link_libraries(kuvio_${layer} PUBLIC kuvio_${used})
  endforeach()
  target_link_libraries(kuvio_${layer} PUBLIC ${ARG_PUBLIC_PACKAGES} PRIVATE ${ARG_PACKAGES})
endfunction()
