// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <epoxy/gl.h>

#include <utility>

namespace wakuzume {

/// An OpenGL object that goes with its owner. \pre the context is current
template <class Kind>
class GlObject {
 public:
  GlObject() = default;
  static GlObject make() { return GlObject(Kind::make()); }
  GlObject(GlObject&& other) noexcept : id_(std::exchange(other.id_, 0)) {}
  GlObject& operator=(GlObject&& other) noexcept {
    std::swap(id_, other.id_);
    return *this;
  }
  GlObject(const GlObject&) = delete;
  GlObject& operator=(const GlObject&) = delete;
  ~GlObject() {
    if (id_ != 0) {
      Kind::remove(id_);
    }
  }
  [[nodiscard]] GLuint id() const { return id_; }
  explicit operator bool() const { return id_ != 0; }

 private:
  explicit GlObject(GLuint id) : id_(id) {}
  GLuint id_ = 0;
};

struct BufferKind {
  static GLuint make() {
    GLuint id = 0;
    glCreateBuffers(1, &id);
    return id;
  }
  static void remove(GLuint id) { glDeleteBuffers(1, &id); }
};
template <GLenum target>
struct TextureKind {
  static GLuint make() {
    GLuint id = 0;
    glCreateTextures(target, 1, &id);
    return id;
  }
  static void remove(GLuint id) { glDeleteTextures(1, &id); }
};
struct SamplerKind {
  static GLuint make() {
    GLuint id = 0;
    glCreateSamplers(1, &id);
    return id;
  }
  static void remove(GLuint id) { glDeleteSamplers(1, &id); }
};
struct VertexArrayKind {
  static GLuint make() {
    GLuint id = 0;
    glCreateVertexArrays(1, &id);
    return id;
  }
  static void remove(GLuint id) { glDeleteVertexArrays(1, &id); }
};
struct FramebufferKind {
  static GLuint make() {
    GLuint id = 0;
    glCreateFramebuffers(1, &id);
    return id;
  }
  static void remove(GLuint id) { glDeleteFramebuffers(1, &id); }
};
struct ProgramKind {
  static GLuint make() { return glCreateProgram(); }
  static void remove(GLuint id) { glDeleteProgram(id); }
};

using GlBuffer = GlObject<BufferKind>;
using GlTexture = GlObject<TextureKind<GL_TEXTURE_2D>>;
using GlTextureArray = GlObject<TextureKind<GL_TEXTURE_2D_ARRAY>>;
using GlSampler = GlObject<SamplerKind>;
using GlVertexArray = GlObject<VertexArrayKind>;
using GlFramebuffer = GlObject<FramebufferKind>;
using GlProgram = GlObject<ProgramKind>;

/// \param data  null: room alone
inline GlBuffer make_buffer(GLsizeiptr bytes, const void* data) {
  GlBuffer buffer = GlBuffer::make();
  glNamedBufferStorage(buffer.id(), bytes, data, GL_DYNAMIC_STORAGE_BIT);
  return buffer;
}

}  // namespace wakuzume
